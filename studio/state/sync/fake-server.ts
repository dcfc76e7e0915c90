import { onlyShows } from "@wet-thread/core/edit/only-shows";
import { applyEdits, type Edit } from "@wet-thread/core/edit/registry";
import { invertStored, type StoredChange, storedChanges, wholeChanges } from "@wet-thread/core/edit/stored-change";
import { applyChanges, dataOf, documentFrom, NEW_PIECE } from "@wet-thread/core/model/document";
import type { KnownStep, Named } from "./past";
import type { VersionAnswer } from "./session";

type Step = KnownStep & { state: "done" | "undone" | "dropped" };
interface Back {
  readonly to?: number;
  readonly of?: Named;
  readonly key?: string;
}

const json = (body: unknown, status = 200): Response => new Response(JSON.stringify(body), { status });
const impossible = (error: string, message: string, status = 422, more: object = {}): Response => json({ error, message, ...more }, status);

/** A server of one version in a few lines, for tests: it keeps the order and the history, knows a step by its key, and can be away. */
export class FakeServer {
  doc = documentFrom({ sampleRate: 48_000, piece: { ...NEW_PIECE }, tracks: [], clips: [], markers: [], sections: [] }, new Map());
  steps: Step[] = [];
  away = false;
  /** Does a step but loses the answer. */
  deaf = false;
  /** Fails at steps of this name. */
  fails = "";
  /** Does a step, and answers only when this is settled. */
  slow: Promise<void> | null = null;

  do(edits: Edit[], name: string, key?: string, row?: string): Step {
    const again = key && this.steps.find((s) => s.key === key);
    if (again) return again;
    const { doc, changes } = applyEdits(this.doc, edits);
    this.doc = doc;
    const kind = onlyShows(changes) ? "show" : "edit";
    const step = { kind, name, key: key ?? null, row: row ?? null, target: null, changes: storedChanges(changes) } as const;
    // What changes nothing is no step.
    if (changes.length === 0) return { ...step, revision: this.steps.length, state: "done" };
    if (kind === "edit") for (const s of this.edits("undone")) s.state = "dropped";
    return this.write(step);
  }

  private write(step: Omit<Step, "revision" | "state">): Step {
    const written: Step = { ...step, revision: this.steps.length + 1, state: "done" };
    this.steps.push(written);
    return written;
  }

  private edits(state: Step["state"]): Step[] {
    return this.steps.filter((s) => s.kind === "edit" && s.state === state);
  }

  private back(direction: "undo" | "redo", { to, of, key }: Back): Response {
    const again = key && this.steps.find((s) => s.key === key);
    if (again) return json(again);
    const undo = direction === "undo";
    const line = this.edits(undo ? "done" : "undone");
    if (undo) line.reverse();
    let targets: Step[];
    if (to !== undefined) targets = line.filter((s) => (undo ? s.revision > to : s.revision <= to));
    else {
      const other = line.findIndex((s) => s.row === null || s.row !== line[0].row);
      targets = line.slice(0, Math.max(1, other < 0 ? line.length : other));
    }
    const [first] = targets;
    if (!first) return impossible(`nothing-to-${direction}`, `There is nothing to ${direction}.`);
    if (of && ("key" in of ? of.key !== first.key : of.revision !== first.revision))
      return impossible("overtaken", `“${first.name}” was done meanwhile. Nothing was ${undo ? "undone" : "done again"}.`, 409, {
        revision: this.steps.length,
      });
    const stored = targets.flatMap((t): readonly StoredChange[] => (undo ? invertStored(t.changes) : t.changes));
    const changes = wholeChanges(this.doc, stored);
    this.doc = applyChanges(this.doc, changes);
    for (const t of targets) t.state = undo ? "undone" : "done";
    const { name, revision: target } = targets[targets.length - 1];
    return json(this.write({ kind: direction, name, key: key ?? null, row: null, target, changes: storedChanges(changes) }));
  }

  answer = async (path: string, init?: RequestInit): Promise<Response> => {
    if (this.away) throw new TypeError("fetch failed");
    if (path.startsWith("/api/projects/"))
      return json({
        id: "p",
        name: "P",
        sampleRate: 48_000,
        createdAt: "",
        sources: [],
        versions: [{ id: "v", name: "V", revision: 0, changedAt: "" }],
      });
    const revision = this.steps.length;
    if (path.includes("/history"))
      return json({
        revision,
        earlier: 0,
        steps: this.steps.filter((s) => s.kind === "edit" && s.state !== "dropped").map(({ changes: _, ...s }) => s),
      });
    if (path.includes("/steps?after=")) return json({ revision, steps: this.steps.filter((s) => s.revision > Number(path.split("=")[1])) });
    if (path.includes("/steps?revisions=")) {
      const wanted = path.split("=")[1].split(",").map(Number);
      return json({ steps: this.steps.filter((s) => wanted.includes(s.revision)) });
    }
    const sent = JSON.parse(String(init?.body ?? "{}"));
    const direction = path.split("/").at(-1);
    if (direction === "undo" || direction === "redo") return this.sent(this.back(direction, sent));
    if (path.endsWith("/edits")) {
      const { edits, name, key, row } = sent;
      const known = this.steps.some((s) => s.key === key);
      if (!known && sent.revision !== revision)
        return json({ error: "behind", message: "behind", revision, steps: this.steps.filter((s) => s.revision > sent.revision) }, 409);
      if (this.fails && name === this.fails) return json({ error: "unexpected", message: "Something went wrong." }, 500);
      return this.sent(json(this.do(edits, name, key, row)));
    }
    const { piece, ...rest } = dataOf(this.doc);
    return json({ id: "v", projectId: "p", name: "V", revision, ...piece, ...rest } satisfies VersionAnswer);
  };

  private async sent(answer: Response): Promise<Response> {
    await this.slow;
    if (!this.deaf) return answer;
    this.deaf = false;
    throw new TypeError("connection reset");
  }
}
