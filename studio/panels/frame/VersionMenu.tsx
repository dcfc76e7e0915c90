"use client";
import { ArrowUp, Check, ChevronDown, Pencil, Trash2 } from "lucide-react";
import { useState } from "react";
import { keyOf } from "@/commands/keys";
import { switchVersion } from "@/commands/view/version-switch";
import { ask, ServerError } from "@/state/sync/api";
import { session, useSession } from "@/state/sync/session";
import { setView } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { Button, Popover } from "@/ui/controls";

/** Does what the server is asked, and says what it refused. */
async function tried<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof ServerError)) throw error;
    toast.error(error.message);
    return null;
  }
}

/** The versions of the project, at its name: gone to, made, renamed, deleted and put back. */
export function VersionMenu() {
  const name = useSession((s) => s.project.name);
  const projectId = useSession((s) => s.project.id);
  const versions = useSession((s) => s.project.versions);
  const now = useSession((s) => s.versionId);
  const called = useSession((s) => s.versionName);
  const [open, setOpen] = useState(false);
  const [naming, setNaming] = useState<string | null>(null);
  const [fresh, setFresh] = useState("");
  const go = (id: string): void => {
    setOpen(false);
    void switchVersion(id);
  };
  const make = async (from?: string): Promise<void> => {
    const own = session();
    const title = fresh.trim() || (from ? `${called}, copy` : "New version");
    const made = await tried(async () => {
      await own.settled();
      return ask<{ id: string }>(`/api/projects/${projectId}/versions`, { json: { name: title, ...(from && { from }) } });
    });
    if (!made) return;
    setFresh("");
    await own.refreshSources();
    go(made.id);
  };
  const change = async (id: string, to: { name?: string; description?: string; place?: number }): Promise<void> => {
    const own = session();
    if (await tried(() => ask(`/api/versions/${id}`, { method: "PATCH", json: to }))) await own.refreshSources();
  };
  const rename = async (id: string, to: { name: string; description: string }): Promise<void> => {
    setNaming(null);
    await change(id, { description: to.description.trim(), ...(to.name.trim() && { name: to.name.trim() }) });
  };
  const remove = async (id: string, title: string): Promise<void> => {
    const own = session();
    if (!(await tried(() => ask(`/api/versions/${id}`, { method: "DELETE" })))) return;
    await own.refreshSources();
    if (id === now) {
      const next = own.store.getState().project.versions.find((v) => v.id !== id);
      if (next) go(next.id);
    }
    toast(`Deleted the version ${title}`, {
      duration: 10_000,
      action: {
        label: "Put back",
        onClick: () => void tried(() => ask(`/api/versions/${id}/restore`, { method: "POST" })).then(() => session().refreshSources()),
      },
    });
  };
  return (
    <h1 className="flex min-w-0 items-center text-ink-2">
      <span className="min-w-0 truncate">{name}</span>
      <span className="ml-1">/</span>
      <Popover
        open={open}
        onOpenChange={setOpen}
        width={320}
        trigger={
          <button
            type="button"
            aria-label={`Version: ${called}`}
            className="ml-0.5 flex min-w-0 max-w-[60%] shrink-0 items-center gap-0.5 rounded-sm px-1 font-semibold text-ink hover:bg-weft"
          >
            <span className="truncate">{called}</span>
            <ChevronDown size={13} className="shrink-0" />
          </button>
        }
      >
        <ul aria-label="Versions" className="max-h-72 space-y-0.5 overflow-y-auto">
          {versions.map((v, place) => (
            <li key={v.id} className="flex min-h-8 items-center gap-1">
              {naming === v.id ? (
                <VersionWords version={v} onDone={(to) => void rename(v.id, to)} onCancel={() => setNaming(null)} />
              ) : (
                <button
                  type="button"
                  aria-current={v.id === now}
                  title={v.description || undefined}
                  className="group/version flex min-h-7 min-w-0 flex-1 items-center gap-1.5 rounded-sm px-1.5 py-0.5 text-left hover:bg-weft"
                  onClick={() => go(v.id)}
                >
                  <Check size={14} className={v.id === now ? "shrink-0" : "invisible shrink-0"} />
                  <span className="min-w-0">
                    <span className="block truncate group-aria-[current=true]/version:font-semibold">{v.name}</span>
                    {v.description && <span className="block truncate text-ink-2 text-sm">{v.description}</span>}
                  </span>
                </button>
              )}
              {place > 0 && (
                <button
                  type="button"
                  aria-label={`${v.name} up`}
                  title="One place up"
                  className="rounded-sm p-1.5 text-ink-2 hover:bg-weft"
                  onClick={() => void change(v.id, { place: place - 1 })}
                >
                  <ArrowUp size={13} />
                </button>
              )}
              <button
                type="button"
                aria-label={`Rename ${v.name}`}
                className="rounded-sm p-1.5 text-ink-2 hover:bg-weft"
                onClick={() => setNaming(v.id)}
              >
                <Pencil size={13} />
              </button>
              <button
                type="button"
                aria-label={`Delete ${v.name}`}
                disabled={versions.length < 2}
                className="rounded-sm p-1.5 text-ink-2 hover:bg-weft disabled:opacity-30"
                onClick={() => void remove(v.id, v.name)}
              >
                <Trash2 size={13} />
              </button>
            </li>
          ))}
        </ul>
        <div className="mt-2 border-line border-t pt-2">
          <input
            aria-label="Name of the new version"
            placeholder="Name of a new version"
            className="h-8 w-full rounded-md border border-line bg-raised px-2 outline-none focus:border-ink-2"
            value={fresh}
            onChange={(e) => setFresh(e.target.value)}
          />
          <div className="mt-1.5 grid grid-cols-2 gap-1.5">
            <Button onClick={() => void make(now)}>From this one</Button>
            <Button onClick={() => void make()}>Blank</Button>
          </div>
          <div className="mt-1.5 flex items-center justify-between gap-2">
            <Button
              disabled={versions.length < 2}
              onClick={() => {
                setOpen(false);
                setView({ panel: "compare" });
              }}
            >
              Compare …
            </Button>
            <span className="text-ink-2 text-sm">
              next <kbd className="num">{keyOf("version-next")}</kbd> · same place <kbd className="num">{keyOf("version-next-here")}</kbd>
            </span>
          </div>
        </div>
      </Popover>
    </h1>
  );
}

/** A version's name, and words about it: taken when one leaves both. */
function VersionWords({
  version,
  onDone,
  onCancel,
}: {
  version: { readonly name: string; readonly description: string };
  onDone: (to: { name: string; description: string }) => void;
  onCancel: () => void;
}) {
  const [name, setName] = useState(version.name);
  const [description, setDescription] = useState(version.description);
  const field = "h-7 w-full rounded-sm border border-ink-2 bg-raised px-1.5 outline-none";
  return (
    <fieldset
      className="min-w-0 flex-1 space-y-1 py-1"
      onBlur={(e) => !e.currentTarget.contains(e.relatedTarget) && onDone({ name, description })}
      onKeyDown={(e) => {
        if (e.key === "Enter") onDone({ name, description });
        if (e.key !== "Escape") return;
        e.stopPropagation();
        onCancel();
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: it was asked for
        autoFocus
        aria-label="Name of the version"
        className={field}
        value={name}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setName(e.target.value)}
      />
      <input
        aria-label="About the version"
        placeholder="What it is for"
        className={`${field} text-sm`}
        value={description}
        onChange={(e) => setDescription(e.target.value)}
        maxLength={2000}
      />
    </fieldset>
  );
}
