"use client";
import { ENDINGS } from "@wet-thread/core/media/formats";
import { WITHOUT_BARS } from "@wet-thread/core/model/modes";
import { FRAME_RATES } from "@wet-thread/core/time/timecode";
import { Plus } from "lucide-react";
import { useRouter } from "next/navigation";
import { useRef, useState } from "react";
import { useArranging } from "@/commands/files/import-files";
import { ask, type ProjectRow, ServerError } from "@/state/sync/api";
import { toast } from "@/state/words/toast";
import { Button, Field, Segments } from "@/ui/controls";

const RATES = ["44100", "48000", "88200", "96000"] as const;
type Rate = (typeof RATES)[number];
const METERS = ["4/4", "3/4", "2/4", "6/8", "5/4", "7/8"];

/** A new project: its name, rate, tempo, meter and frame rate; begun with recordings where some are dropped or chosen. */
export function NewProject() {
  const router = useRouter();
  const [name, setName] = useState("");
  const [rate, setRate] = useState<Rate>("48000");
  const [tempo, setTempo] = useState<string | null>("120");
  const [meter, setMeter] = useState("4/4");
  const [frameRate, setFrameRate] = useState("25");
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const create = async (files: readonly File[] = []): Promise<void> => {
    const called = name.trim() || files[0]?.name.replace(/\.[A-Za-z0-9]{1,5}$/, "") || "New project";
    try {
      const json = {
        name: called,
        sampleRate: Number(rate),
        meter,
        frameRate,
        ...(tempo === null ? { modes: WITHOUT_BARS } : { tempo: Number(tempo) }),
      };
      const project = await ask<ProjectRow>("/api/projects", { json });
      // They wait there until the editor asks how they are to be laid.
      if (files.length > 0) useArranging.setState({ files, at: { trackId: null, position: 0 } });
      router.push(`/p/${project.id}`);
    } catch (error) {
      if (error instanceof ServerError) toast.error(error.message);
      else throw error;
    }
  };
  const choose = "h-8 w-full rounded-md border border-line bg-raised px-2";
  return (
    <section
      aria-labelledby="new"
      className={`h-fit rounded-lg border bg-surface p-4 ${over ? "border-indigo border-dashed" : "border-line"}`}
      onDragOver={(e) => {
        if (![...e.dataTransfer.types].includes("Files")) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const files = [...e.dataTransfer.files];
        if (files.length > 0) void create(files);
      }}
    >
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
          <span className="mb-1 block text-ink-2 text-sm">Sample rate, kHz</span>
          <Segments label="Sample rate" value={rate} onChange={setRate} options={RATES.map((r) => [r, String(Number(r) / 1000)])} />
        </div>
        <div>
          <span className="mb-1 block text-ink-2 text-sm">Tempo</span>
          <Segments
            label="Kind of tempo"
            value={tempo === null ? "none" : "some"}
            onChange={(to) => setTempo(to === "none" ? null : "120")}
            options={[
              ["some", "Bars and beats"],
              ["none", "None"],
            ]}
          />
          {tempo !== null && <Field className="mt-1.5" label="Tempo" value={tempo} unit="quarter notes a minute" onCommit={setTempo} />}
        </div>
        <div className="grid grid-cols-2 gap-3">
          {tempo !== null && (
            <label className="block">
              <span className="mb-1 block text-ink-2 text-sm">Meter</span>
              <select className={choose} value={meter} onChange={(e) => setMeter(e.target.value)}>
                {METERS.map((m) => (
                  <option key={m}>{m}</option>
                ))}
              </select>
            </label>
          )}
          <label className="block">
            <span className="mb-1 block text-ink-2 text-sm">Frames a second</span>
            <select className={choose} value={frameRate} onChange={(e) => setFrameRate(e.target.value)}>
              {FRAME_RATES.map((r) => (
                <option key={r.id}>{r.id}</option>
              ))}
            </select>
          </label>
        </div>
        <Button look="main" type="submit" className="w-full" disabled={name.trim() === ""}>
          <Plus size={16} aria-hidden /> Create project
        </Button>
        <input
          ref={input}
          type="file"
          multiple
          accept={[...ENDINGS, "audio/*"].join(",")}
          className="hidden"
          aria-label="Recordings to begin with"
          onChange={(e) => {
            const files = [...(e.target.files ?? [])];
            e.target.value = "";
            if (files.length > 0) void create(files);
          }}
        />
        <Button type="button" className="w-full" onClick={() => input.current?.click()}>
          Begin with recordings …
        </Button>
      </form>
    </section>
  );
}
