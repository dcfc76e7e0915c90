import type { Edit } from "@wet-thread/core/edit/registry";
import { type Document, dataOf } from "@wet-thread/core/model/document";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import type { Seam } from "@wet-thread/core/seam/seams";
import { create } from "zustand";
import { differences } from "@/engine/differences";
import { session } from "@/state/sync/session";
import type { AskedSeam, FromMeasurer, ToMeasurer } from "./messages";
import type { HowToSettle, Settling } from "./settling";

/** What the worker has measured, by seam; a seam that an edit touched is there with its old figures until the new ones come. */
export const useMeasures = create<{ readonly byId: ReadonlyMap<string, SeamMeasure> }>(() => ({ byId: new Map() }));

/** Measures seams in a worker, following the document. One for the open version. */
export class Measurer {
  private readonly worker = new Worker(new URL("./measure.worker.ts", import.meta.url), { type: "module" });
  private known: Document;
  private readonly off: () => void;
  private readonly fresh = new Map<string, SeamMeasure>();
  private due = 0;
  private token = 0;
  private readonly tries = new Map<number, (answer: { measures: readonly (SeamMeasure | null)[]; error: string | null }) => void>();

  private readonly settlings = new Map<number, { tell: (done: number) => void; end: (found: readonly Settling[] | null) => void }>();

  constructor() {
    this.known = session().doc;
    this.worker.onmessage = ({ data }: MessageEvent<FromMeasurer>) => this.hear(data);
    this.tell({ type: "document", data: dataOf(this.known), sources: [...this.known.sources.values()] });
    this.off = session().store.subscribe(({ doc }) => this.follow(doc));
    useMeasures.setState({ byId: new Map() });
  }

  private tell(message: ToMeasurer): void {
    this.worker.postMessage(message);
  }

  private follow(doc: Document): void {
    if (doc === this.known) return;
    const changes = differences(this.known, doc);
    if (!changes) this.tell({ type: "document", data: dataOf(doc), sources: [...doc.sources.values()] });
    else if (changes.length) this.tell({ type: "changes", changes });
    this.known = doc;
  }

  private hear(message: FromMeasurer): void {
    if (message.type === "settling") return this.settlings.get(message.token)?.tell(message.done);
    if (message.type === "settled") {
      this.settlings.get(message.token)?.end(message.found);
      this.settlings.delete(message.token);
      return;
    }
    if (message.type === "tried") {
      this.tries.get(message.token)?.(message);
      this.tries.delete(message.token);
      return;
    }
    for (const [id, measure] of message.measures) this.fresh.set(id, measure);
    // Many answers, one drawing.
    if (!this.due)
      this.due = requestAnimationFrame(() => {
        this.due = 0;
        useMeasures.setState(({ byId }) => ({ byId: new Map([...byId, ...this.fresh]) }));
        this.fresh.clear();
      });
  }

  /** Asks for figures, the first ones first. They come into `useMeasures`. */
  ask(seams: readonly Seam[]): void {
    if (seams.length) this.tell({ type: "measure", seams: seams.map(asked) });
  }

  /** What an edit would make of some seams; nothing is done. */
  try(edit: Edit, seams: readonly Seam[]): Promise<{ measures: readonly (SeamMeasure | null)[]; error: string | null }> {
    const token = ++this.token;
    return new Promise((done) => {
      this.tries.set(token, done);
      this.tell({ type: "try", token, edit, seams: seams.map(({ trackId, position }) => ({ trackId, position })) });
    });
  }

  /** Where seams would settle, each on what the ones before would leave; nothing is done. Null where it was called off by `off`. */
  settle(seams: readonly Seam[], how: HowToSettle, tell: (done: number) => void, off: AbortSignal): Promise<readonly Settling[] | null> {
    const token = ++this.token;
    return new Promise((end) => {
      this.settlings.set(token, { tell, end });
      off.addEventListener("abort", () => this.tell({ type: "stop-settling", token }), { once: true });
      this.tell({ type: "settle", token, seams: seams.map(asked), how });
    });
  }

  close(): void {
    // Whoever waits is answered: nothing comes any more.
    for (const { end } of this.settlings.values()) end(null);
    this.off();
    cancelAnimationFrame(this.due);
    this.worker.terminate();
  }
}

const asked = ({ id, trackId, right }: Seam): AskedSeam => ({ id, trackId, rightId: right?.id ?? null });

let current: Measurer | null = null;
/** The measurer of the open version, made when it is first needed. */
export function measurer(): Measurer {
  current ??= new Measurer();
  return current;
}
export function closeMeasurer(): void {
  current?.close();
  current = null;
}
