import type { ApexOptions } from "apexcharts";
import type { Settings } from "@/state/kept/settings";
import { PALETTES } from "@/timeline/model/theme";

/** How a chart of points along the time looks: the page's fonts and palette, nothing that moves. What is told of the axes is added. */
export function pointsChart(theme: Settings["theme"], xaxis: ApexOptions["xaxis"]): ApexOptions & { chart: NonNullable<ApexOptions["chart"]> } {
  const palette = PALETTES[theme];
  return {
    chart: {
      type: "scatter",
      animations: { enabled: false },
      toolbar: { show: false },
      zoom: { enabled: false },
      foreColor: palette.ink2,
      fontFamily: "'Red Hat Mono Variable', monospace",
      background: "transparent",
    },
    theme: { mode: theme === "vat" ? "dark" : "light" },
    grid: { borderColor: palette.weft },
    legend: { position: "top", horizontalAlign: "left", fontFamily: "'Instrument Sans Variable', sans-serif", fontSize: "12px" },
    xaxis: { type: "numeric", tickAmount: 4, axisBorder: { color: palette.line }, axisTicks: { color: palette.line }, ...xaxis },
  };
}

/** Distances between the lines of an axis of seconds. */
const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14_400];

/** An axis of seconds from zero to an end, told as minutes and seconds, with lines at round ones. */
export function secondsAxis(end: number): ApexOptions["xaxis"] {
  const step = STEPS.find((s) => end / s <= 6) ?? Math.ceil(end / 6);
  const lines = Math.max(1, Math.ceil(end / step));
  return {
    min: 0,
    max: lines * step,
    tickAmount: lines,
    labels: {
      rotate: 0,
      hideOverlappingLabels: true,
      formatter: (v) => `${Math.floor(Number(v) / 60)}:${String(Math.floor(Number(v) % 60)).padStart(2, "0")}`,
    },
  };
}
