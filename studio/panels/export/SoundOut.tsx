"use client";
import { type Document, documentEnd } from "@wet-thread/core/model/document";
import { formatLength } from "@wet-thread/core/time/format";
import { useEffect, useState } from "react";
import { type ExportPart, useExportMenu } from "@/commands/files/export-here";
import { ask, ServerError } from "@/state/sync/api";
import { useSession } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { Field, Segments } from "@/ui/controls";
import { OutActions, OutResult } from "./OutResult";
import { DitherRow, FilesRow, FormatRow, LevelRow, RateAndChannels, Row, WordsRow } from "./OutRows";
import { requestOf, useOut } from "./settings";
import type { useExport } from "./use-export";

const WHATS = ["piece", "range", "loop", "part"] as const;
type What = (typeof WHATS)[number];

/** What can be exported: the piece, and what it was opened for. */
function useParts(): { parts: Partial<Record<What, ExportPart>>; what: What; setWhat: (what: What) => void } {
  const range = useView((v) => v.range);
  const { part } = useExportMenu();
  const doc = useSession((s) => s.doc);
  const { loop } = doc.piece;
  const [chosen, setWhat] = useState<What>("piece");
  // What it was opened for comes first; once something else is chosen, that counts.
  const parts: Partial<Record<What, ExportPart>> = {
    piece: { name: "Whole piece", start: 0, end: documentEnd(doc) },
    ...(range && { range: { name: "Range", start: range.start, end: range.end } }),
    ...(loop && { loop: { name: "Loop", start: loop.start, end: loop.end } }),
    ...(part && part.name !== "Range" && { part }),
  };
  useEffect(() => {
    if (part) setWhat(part.name === "Range" ? "range" : "part");
  }, [part]);
  return { parts, what: part && chosen === "part" ? "part" : parts[chosen] ? chosen : "piece", setWhat };
}

/** The names that the files would have, asked for once one stops typing. */
function useNames(request: Record<string, unknown>, empty: boolean): { files: readonly string[]; count: number } | string {
  const versionId = useSession((s) => s.versionId);
  const revision = useSession((s) => s.revision);
  const [names, setNames] = useState<{ files: readonly string[]; count: number } | string>({ files: [], count: 0 });
  const text = JSON.stringify(request);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another revision may have other tracks, sections and clips
  useEffect(() => {
    if (empty) return;
    let gone = false;
    const timer = setTimeout(() => {
      ask<{ files: string[]; count: number }>(`/api/versions/${versionId}/exports/preview`, { json: JSON.parse(text) }).then(
        (found) => !gone && setNames(found),
        (error: Error) => {
          if (!(error instanceof ServerError)) throw error;
          if (!gone) setNames(error.message);
        },
      );
    }, 200);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [text, versionId, revision, empty]);
  return names;
}

/** The words for what is not heard, and so will not be in it; empty when all is. */
function notHeard(doc: Document): string {
  const silent = [...doc.tracks.values()].filter((t) => t.mute).length;
  const soloed = [...doc.tracks.values()].filter((t) => t.solo).length;
  if (soloed > 0) return `Only what is soloed is heard: ${soloed === 1 ? "1 track" : `${soloed} tracks`}.`;
  return silent === 0 ? "" : `${silent === 1 ? "1 track is" : `${silent} tracks are`} muted and will not be in it.`;
}

function WhatRow({ parts, what, setWhat }: ReturnType<typeof useParts>) {
  const doc = useSession((x) => x.doc);
  const part = parts[what] as ExportPart;
  const lacks = part.trackIds ? "" : notHeard(doc);
  return (
    <Row name="What">
      <Segments
        label="What to export"
        value={what}
        onChange={setWhat}
        options={WHATS.filter((w) => parts[w]).map((w) => [w, (parts[w] as ExportPart).name])}
      />
      <p className="num mt-1.5 text-ink-3 text-sm">{formatLength(part.end - part.start, doc.sampleRate)}</p>
      {lacks && (
        <p className="mt-1 text-ink-2 text-sm" role="note">
          {lacks}
        </p>
      )}
    </Row>
  );
}

function NameRow({ names }: { names: ReturnType<typeof useNames> }) {
  const pattern = useOut((s) => s.pattern);
  return (
    <Row name="Name">
      <Field
        numeric={false}
        label="Names of the files"
        unit="{project} {version} {track} {name} {n}"
        value={pattern}
        onCommit={(pattern) => useOut.setState({ pattern })}
      />
      <div className="mt-1.5 text-sm" aria-live="polite">
        {typeof names === "string" ? (
          <p className="text-madder">{names}</p>
        ) : (
          <ul className="text-ink-2" aria-label="Files that will be written">
            {names.files.slice(0, 3).map((n) => (
              <li key={n} className="truncate">
                {n}
              </li>
            ))}
            {names.count > 3 && <li>and {names.count - 3} more, as one zip</li>}
          </ul>
        )}
      </div>
    </Row>
  );
}

/** Sound as files: what, in which form, how loud, and what came of it. */
export function SoundOut({ out }: { out: ReturnType<typeof useExport> }) {
  const s = useOut();
  const sampleRate = useSession((x) => x.doc.sampleRate);
  const chosen = useParts();
  const part = chosen.parts[chosen.what] as ExportPart;
  const empty = part.end <= part.start;
  const request = (measured: boolean) => requestOf(s, part, sampleRate, measured);
  const names = useNames(request(false), empty);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-6 max-[820px]:grid-cols-1 max-[820px]:overflow-y-auto">
      <div className="min-h-0 space-y-3 overflow-y-auto pr-1 max-[820px]:overflow-visible">
        <WhatRow {...chosen} />
        <FilesRow />
        <FormatRow />
        <RateAndChannels own={sampleRate} />
        <DitherRow />
        <LevelRow />
        <WordsRow />
        <NameRow names={names} />
      </div>
      <div className="flex min-h-0 flex-col">
        <OutResult out={out} />
        <OutActions out={out} empty={empty} request={request} />
      </div>
    </div>
  );
}
