"use client";
import { Plus } from "lucide-react";
import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import { toast } from "sonner";
import { ask, type ProjectRow, ServerError } from "@/state/api";
import { Button, Field, Segments } from "@/ui/controls";
import { Mark } from "@/ui/Mark";
import { ThemeButton } from "@/ui/ThemeButton";
import { ProjectList, type ProjectSummary } from "./ProjectList";

export function Projects() {
  const [rows, setRows] = useState<readonly ProjectSummary[] | null>(null);
  const [wrong, setWrong] = useState("");
  useEffect(() => {
    ask<{ projects: ProjectSummary[] }>("/api/projects")
      .then((a) => setRows(a.projects))
      .catch((e: Error) => setWrong(e.message));
  }, []);
  return (
    <div className="min-h-full bg-ground">
      <header className="flex h-12 items-center gap-3 border-line border-b bg-surface px-4">
        <Mark />
        <span className="font-semibold text-lg">Wet Thread</span>
        <span className="ml-auto" />
        <ThemeButton />
      </header>
      <main className="mx-auto grid max-w-[1040px] grid-cols-[minmax(0,1fr)_320px] gap-8 px-6 py-10 max-[860px]:grid-cols-1">
        <section aria-labelledby="projects">
          <h1 id="projects" className="font-semibold text-xl">
            Projects
          </h1>
          {wrong && <p className="mt-4 rounded-md border border-madder bg-raised p-3">{wrong}</p>}
          {rows?.length === 0 && <p className="mt-4 text-ink-2">No project yet. Name one on the right and start with a recording.</p>}
          {rows && <ProjectList rows={rows} />}
        </section>
        <NewProject />
      </main>
    </div>
  );
}

function NewProject() {
  const router = useRouter();
  const [name, setName] = useState("");
  const [rate, setRate] = useState<"44100" | "48000" | "96000">("48000");
  const [tempo, setTempo] = useState("120");
  const create = async (): Promise<void> => {
    try {
      const project = await ask<ProjectRow>("/api/projects", { json: { name, sampleRate: Number(rate), tempo: Number(tempo) } });
      router.push(`/p/${project.id}`);
    } catch (error) {
      if (error instanceof ServerError) toast.error(error.message);
      else throw error;
    }
  };
  return (
    <section aria-labelledby="new" className="h-fit rounded-lg border border-line bg-surface p-4">
      <h2 id="new" className="font-semibold text-lg">
        New project
      </h2>
      <form
        className="mt-4 space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          void create();
        }}
      >
        <label className="block">
          <span className="mb-1 block text-ink-2 text-sm">Name</span>
          <input
            className="h-8 w-full rounded-md border border-line bg-raised px-2.5"
            value={name}
            onChange={(e) => setName(e.target.value)}
            maxLength={200}
          />
        </label>
        <div>
          <span className="mb-1 block text-ink-2 text-sm">Sample rate</span>
          <Segments
            label="Sample rate"
            value={rate}
            onChange={setRate}
            options={[
              ["44100", "44.1 kHz"],
              ["48000", "48 kHz"],
              ["96000", "96 kHz"],
            ]}
          />
        </div>
        <div>
          <span className="mb-1 block text-ink-2 text-sm">Tempo</span>
          <Field label="Tempo" value={tempo} unit="quarter notes a minute" onCommit={setTempo} />
        </div>
        <Button look="main" type="submit" className="w-full" disabled={name.trim() === ""}>
          <Plus size={16} aria-hidden /> Create project
        </Button>
      </form>
    </section>
  );
}
