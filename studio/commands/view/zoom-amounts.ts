import { session } from "@/state/sync/session";
import { view, zoomWithin } from "@/state/view/view";
import { goTo } from "@/state/view/view-history";

/** Ready amounts: how much time the view is wide. */
export const AMOUNTS: readonly { readonly label: string; readonly seconds: number }[] = [
  { label: "10 ms", seconds: 0.01 },
  { label: "100 ms", seconds: 0.1 },
  { label: "1 s", seconds: 1 },
  { label: "5 s", seconds: 5 },
  { label: "30 s", seconds: 30 },
  { label: "2 min", seconds: 120 },
  { label: "10 min", seconds: 600 },
];

/** Shows so many seconds, the playhead staying where it is on the screen, or where it is out of view the middle. */
export function zoomToAmount(seconds: number): void {
  const { start, samplesPerPixel, width, playhead } = view();
  const next = zoomWithin((seconds * session().doc.sampleRate) / Math.max(1, width));
  const x = (playhead - start) / samplesPerPixel;
  const at = x >= 0 && x <= width ? x : width / 2;
  goTo({ samplesPerPixel: next, start: Math.max(0, start + at * (samplesPerPixel - next)) });
}
