"use client";
import type { ApexOptions } from "apexcharts";
import dynamic from "next/dynamic";
import { useState } from "react";
import { useSettings } from "@/state/kept/settings";
import { PALETTES } from "@/timeline/model/theme";
import { pointsChart, secondsAxis } from "../frame/chart-look";
import type { OutFile, OutJob } from "./settings";

const Chart = dynamic(() => import("react-apexcharts"), { ssr: false });

const shown = (v: number | null): string => (v === null ? "–" : v.toFixed(1).replace("-", "−"));

/** How loud an export came out: in numbers, and over time. Of several files one at a time. */
export function Report({ job }: { job: OutJob }) {
  const [chosen, setChosen] = useState(0);
  const file = job.files[Math.min(chosen, job.files.length - 1)];
  if (!file) return null;
  const { loudness } = file;
  const rows = [
    ["Loudness", loudness.integrated, "LUFS"],
    ["Loudest 3 s", loudness.shortTermMax, "LUFS"],
    ["Loudest 0.4 s", loudness.momentaryMax, "LUFS"],
    ["Range", loudness.range, "LU"],
    ["True peak", loudness.truePeak, "dBTP"],
    ["Sample peak", loudness.samplePeak, "dBFS"],
  ] as const;
  return (
    <section aria-label="How loud it is" className="flex min-h-0 flex-col">
      {job.files.length > 1 && (
        <select
          aria-label="File"
          className="mb-2 h-8 w-full rounded-md border border-line bg-raised px-2"
          value={chosen}
          onChange={(e) => setChosen(Number(e.target.value))}
        >
          {job.files.map((f, i) => (
            <option key={f.name} value={i}>
              {f.name}
            </option>
          ))}
        </select>
      )}
      <dl className="grid grid-cols-3 gap-x-4 gap-y-2">
        {rows.map(([name, value, unit]) => (
          <div key={name}>
            <dt className="text-ink-2 text-sm">{name}</dt>
            <dd className="num font-semibold">
              {shown(value)} <span className="font-normal text-ink-3 text-sm">{value === null ? "" : unit}</span>
            </dd>
          </div>
        ))}
      </dl>
      {file.gain !== 0 && (
        <p className="num mt-2 text-ink-2 text-sm">
          Turned {file.gain > 0 ? "up" : "down"} by {Math.abs(file.gain).toFixed(1)} dB
        </p>
      )}
      {file.notes.map((note) => (
        <p key={note} role="note" className="mt-1 text-sm">
          {note}
        </p>
      ))}
      <OverTime file={file} target={job.spec.normalise?.loudness} />
    </section>
  );
}

/** What is too quiet to be measured stands on this line. */
const FLOOR = -60;

function OverTime({ file, target }: { file: OutFile; target?: number }) {
  const theme = useSettings((s) => s.theme);
  const { step, momentary, shortTerm } = file.loudness.overTime;
  const palette = PALETTES[theme];
  if (momentary.length < 2) return null;
  const few = Math.ceil(momentary.length / 400);
  const line = (list: readonly (number | null)[]) =>
    list.flatMap((v, i) => (i % few === 0 ? [{ x: (i + 1) * step, y: v === null ? null : Math.max(FLOOR, Math.round(v * 10) / 10) }] : []));
  const look = pointsChart(theme, secondsAxis(momentary.length * step));
  const options: ApexOptions = {
    ...look,
    chart: { ...look.chart, type: "line" },
    colors: [palette.ink3, palette.dyes.indigo],
    stroke: { width: [1, 2], curve: "straight" },
    yaxis: { min: FLOOR, max: 0, tickAmount: 4, labels: { formatter: (v) => `${Math.round(v)}` } },
    tooltip: { x: { formatter: (v) => `${v.toFixed(1)} s` }, y: { formatter: (v) => (v === null ? "–" : `${v.toFixed(1)} LUFS`) } },
    ...(target !== undefined && {
      annotations: {
        yaxis: [
          {
            y: target,
            borderColor: palette.dyes.fern,
            strokeDashArray: 4,
            label: { text: `${shown(target)} LUFS`, style: { background: "transparent", color: palette.ink2 } },
          },
        ],
      },
    }),
  };
  return (
    <div className="mt-3 h-[180px]" role="img" aria-label="Chart: loudness over time">
      <Chart
        type="line"
        options={options}
        series={[
          { name: "0.4 s", data: line(momentary) },
          { name: "3 s", data: line(shortTerm) },
        ]}
        height="100%"
        width="100%"
      />
    </div>
  );
}
