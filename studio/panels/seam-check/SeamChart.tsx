"use client";
import type { Seam } from "@wet-thread/core/seam/seams";
import type { ApexOptions } from "apexcharts";
import dynamic from "next/dynamic";
import { useMemo } from "react";
import { useSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { PALETTES } from "@/timeline/model/theme";
import { pointsChart, secondsAxis } from "../frame/chart-look";
import type { SeamRow } from "./rows";

const Chart = dynamic(() => import("react-apexcharts"), { ssr: false });

/** Points drawn at most: of more, the loudest of each stretch. */
const MOST_POINTS = 400;
/** What does not click stands on this line. */
const FLOOR = -80;

/** Click level along the piece, and how the level goes through each join. A point opens its seam. */
export function SeamChart({ rows, onOpen }: { rows: readonly SeamRow[]; onOpen: (seam: Seam) => void }) {
  const theme = useSettings((s) => s.theme);
  const rate = useSession((s) => s.doc.sampleRate);
  const { clicks, dips } = useMemo(() => {
    const measured = rows.filter((r) => r.measure);
    return {
      clicks: thinned(
        measured.filter((r) => r.measure?.click != null),
        (r) => r.measure?.click ?? FLOOR,
      ),
      dips: thinned(
        measured.filter((r) => r.measure?.dip != null && Math.abs(r.measure.dip) < 40),
        (r) => Math.abs(r.measure?.dip ?? 0),
      ),
    };
  }, [rows]);
  const palette = PALETTES[theme];
  const point = (r: SeamRow, y: number) => ({ x: r.seam.position / rate, y: Math.round(y * 10) / 10 });
  const look = pointsChart(theme, secondsAxis(rows.reduce((end, r) => Math.max(end, r.seam.position), 0) / rate));
  const options: ApexOptions = {
    ...look,
    chart: {
      ...look.chart,
      events: {
        dataPointSelection: (_, __, picked) => {
          const list = picked?.seriesIndex === 0 ? clicks : dips;
          const row = list[picked?.dataPointIndex ?? -1];
          if (row) onOpen(row.seam);
        },
      },
    },
    colors: [palette.dyes.madder, palette.dyes.woad],
    markers: { size: [5, 3.5], strokeWidth: 0 },
    yaxis: [
      { min: FLOOR, max: 0, tickAmount: 4, labels: { formatter: (v) => `${Math.round(v)}` } },
      { opposite: true, min: -12, max: 12, tickAmount: 4, labels: { formatter: (v) => `${Math.round(v)}` } },
    ],
    tooltip: { x: { formatter: (v) => `${v.toFixed(2)} s` }, y: { formatter: (v) => `${v.toFixed(1)} dB` } },
  };
  const series = [
    { name: "Click, dB", data: clicks.map((r) => point(r, r.measure?.click ?? FLOOR)) },
    { name: "Level through, dB (right)", data: dips.map((r) => point(r, Math.max(-12, Math.min(12, r.measure?.dip ?? 0)))) },
  ];
  if (clicks.length + dips.length === 0)
    return <p className="grid h-full place-items-center px-6 text-center text-ink-3">No seam shown clicks or changes its level.</p>;
  return (
    <div className="h-full px-1" role="img" aria-label={`Chart: ${clicks.length} seams click, of ${rows.length} shown`}>
      <Chart type="scatter" options={options} series={series} height="100%" width="100%" />
    </div>
  );
}

/** At most so many rows: the strongest of each equal stretch of them. */
function thinned(rows: readonly SeamRow[], strength: (r: SeamRow) => number): SeamRow[] {
  const inTime = [...rows].sort((a, b) => a.seam.position - b.seam.position);
  if (inTime.length <= MOST_POINTS) return inTime;
  return Array.from({ length: MOST_POINTS }, (_, i) => {
    const part = inTime.slice(Math.floor((i * inTime.length) / MOST_POINTS), Math.floor(((i + 1) * inTime.length) / MOST_POINTS));
    return part.reduce((a, b) => (strength(b) > strength(a) ? b : a));
  });
}
