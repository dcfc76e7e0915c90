"use client";
import { FolderOpen, Undo2 } from "lucide-react";
import { useRouter } from "next/navigation";
import { useCallback, useEffect, useRef, useState } from "react";
import { ask, ServerError } from "@/state/sync/api";
import { sendLeftovers } from "@/state/sync/session";
import { toast } from "@/state/words/toast";
import { Button } from "@/ui/controls";
import { Mark } from "@/ui/Mark";
import { ThemeButton } from "@/ui/ThemeButton";
import { NewProject } from "./NewProject";
import { ProjectList, type ProjectSummary } from "./ProjectList";
import { readArchive } from "./read-archive";

/** Every project: found, sorted, opened, renamed, copied, removed and put back; and new ones. */
export function Projects({ signedIn }: { signedIn: boolean }) {
  const router = useRouter();
  const [rows, setRows] = useState<readonly ProjectSummary[] | null>(null);
  const [removed, setRemoved] = useState<readonly ProjectSummary[]>([]);
  const [wrong, setWrong] = useState("");
  const [progress, setProgress] = useState<number | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const refresh = useCallback(async () => {
    try {
      const [now, gone] = await Promise.all(["/api/projects", "/api/projects?removed=1"].map((a) => ask<{ projects: ProjectSummary[] }>(a)));
      setRows(now.projects);
      setRemoved(gone.projects);
      setWrong("");
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      setWrong(error.message);
    }
  }, []);
  useEffect(() => void refresh(), [refresh]);
  // What closed tabs could not send should not wait until somebody opens that version again.
  useEffect(() => void sendLeftovers(null), []);
  const open = async (file: File): Promise<void> => {
    const id = await readArchive(file, setProgress);
    setProgress(null);
    if (id) router.push(`/p/${id}`);
  };
  const signOut = async (): Promise<void> => {
    try {
      await ask("/api/sign-in", { method: "DELETE" });
      location.assign("/sign-in");
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(`You are still signed in. ${error.message}`);
    }
  };
  const putBack = async (project: ProjectSummary): Promise<void> => {
    try {
      await ask(`/api/projects/${project.id}/restore`, { method: "POST" });
    } catch (error) {
      if (!(error instanceof ServerError)) throw error;
      toast.error(error.message);
    }
    await refresh();
  };
  return (
    <div className="min-h-full bg-ground">
      <header className="flex h-12 items-center gap-3 border-line border-b bg-surface px-4">
        <Mark />
        <span className="font-semibold text-lg">Wet Thread</span>
        <span className="ml-auto" />
        {signedIn && (
          <button type="button" className="rounded-md px-2 py-1 text-ink-2 hover:bg-weft hover:text-ink" onClick={() => void signOut()}>
            Sign out
          </button>
        )}
        <ThemeButton />
      </header>
      <main className="mx-auto grid max-w-[1080px] grid-cols-[minmax(0,1fr)_320px] gap-8 px-6 py-10 max-[860px]:grid-cols-1">
        <section aria-labelledby="projects">
          <h1 id="projects" className="font-semibold text-xl">
            Projects
          </h1>
          {wrong && <p className="mt-4 rounded-md border border-madder bg-raised p-3">{wrong}</p>}
          {rows?.length === 0 && <p className="mt-4 text-ink-2">No project yet. Name one on the right and start with a recording.</p>}
          {rows && <ProjectList rows={rows} onChange={refresh} />}
          {removed.length > 0 && (
            <details className="mt-6">
              <summary className="cursor-pointer text-ink-2">
                Removed: {removed.length === 1 ? "1 project" : `${removed.length} projects`} that can be put back
              </summary>
              <ul className="mt-2 divide-y divide-line" aria-label="Removed projects">
                {removed.slice(0, 200).map((p) => (
                  <li key={p.id} className="flex items-center gap-3 py-2">
                    <span className="min-w-0 flex-1 truncate">{p.name}</span>
                    <Button onClick={() => void putBack(p)}>
                      <Undo2 size={14} aria-hidden /> Put back
                    </Button>
                  </li>
                ))}
              </ul>
            </details>
          )}
        </section>
        <div className="space-y-4">
          <NewProject />
          <section aria-labelledby="archive" className="rounded-lg border border-line bg-surface p-4">
            <h2 id="archive" className="font-semibold text-lg">
              From an archive
            </h2>
            <p className="mt-1 text-ink-2 text-sm">A whole project in one zip, as the export writes it.</p>
            <input
              ref={input}
              type="file"
              accept=".zip,application/zip"
              className="hidden"
              aria-label="Project archive"
              onChange={(e) => {
                const [file] = e.target.files ?? [];
                e.target.value = "";
                if (file) void open(file);
              }}
            />
            <Button className="mt-3 w-full" disabled={progress !== null} onClick={() => input.current?.click()}>
              <FolderOpen size={15} aria-hidden />{" "}
              {progress === null ? "Open an archive …" : progress < 1 ? `Sending ${Math.round(progress * 100)} %` : "Reading …"}
            </Button>
            {progress !== null && (
              <div
                role="progressbar"
                aria-label="Archive"
                aria-valuenow={Math.round(progress * 100)}
                className="mt-2 h-1.5 overflow-hidden rounded-full bg-weft"
              >
                <div className="h-full bg-indigo" style={{ width: `${Math.max(3, progress * 100)}%` }} />
              </div>
            )}
          </section>
        </div>
      </main>
    </div>
  );
}
