import { type Clip, clipEnd } from "@wet-thread/core/model/schema";
import { useSettings } from "@/state/kept/settings";
import { useSession } from "@/state/sync/session";
import { magnifyOf, useView } from "@/state/view/view";
import { CLOTH_TOP, laneBoxes, RAIL } from "@/timeline/model/geometry";
import { bandOf } from "@/timeline/model/layers";
import { waveInset } from "@/timeline/paint/cloth";
import { rulersHeight } from "@/timeline/paint/rulers";
import { WAVES } from "@/timeline/paint/strip";
import { followPointer } from "@/ui/pointer-drag";

/** The lines can be taken hold of so many pixels from them, but not across the middle. */
const GRIP = 6;

/** Where a clip's waveform lies in the lanes: each channel's middle, in pixels from the top of what is shown, and how high full scale reaches. */
function waves(
  box: { top: number; height: number },
  band: readonly [number, number],
  channels: number,
): { channel: number; middle: number; half: number }[] {
  const [y0, y1] = band;
  const top = y0 + waveInset(y1 - y0);
  const parts = Math.min(WAVES, Math.max(1, channels));
  const half = (y1 - top) / parts / 2 - 1;
  return Array.from({ length: parts }, (_, c) => ({ channel: c, middle: box.top + top + ((y1 - top) * c) / parts + half + 1, half }));
}

/** The threshold over the waveforms that it is about, as a line above and below their middle; dragged, it is changed. `threshold` in dB. */
export function ThresholdLines({ clips, threshold, onChange }: { clips: readonly Clip[]; threshold: number; onChange: (threshold: number) => void }) {
  const doc = useSession((s) => s.doc);
  const [start, spp, width] = [useView((v) => v.start), useView((v) => v.samplesPerPixel), useView((v) => v.width)];
  const [scrollY, height, fanned] = [useView((v) => v.scrollY), useView((v) => v.height), useView((v) => v.fanned)];
  const tall = { magnify: useView((v) => v.magnify), lentWaves: useView((v) => v.lentWaves) };
  const above = rulersHeight(useSettings((s) => s.rulers));
  const boxes = new Map(laneBoxes(doc).map((b) => [b.trackId, b]));
  return (
    // Lines over the lanes alone, under the panel.
    <div className="pointer-events-none absolute inset-x-0 bottom-0 z-10 overflow-hidden" style={{ top: above }} aria-hidden>
      {clips.flatMap((clip) => {
        const box = boxes.get(clip.trackId);
        const lane = doc.lanes.get(clip.trackId);
        const [x0, x1] = [Math.max(-2, (clip.start - start) / spp), Math.min(width + 2, (clipEnd(clip) - start) / spp)];
        if (!box || !lane || x1 - x0 < 2 || box.top - scrollY > height || box.top + box.height < scrollY) return [];
        const band = bandOf(lane, clip, fanned, CLOTH_TOP, box.height - RAIL - 1);
        const magnify = magnifyOf(tall, clip.trackId);
        const reach = Math.min(1, 10 ** (threshold / 20) * magnify);
        const channels = doc.sources.get(clip.sourceId)?.channels ?? 1;
        return waves({ ...box, top: box.top - scrollY }, band, channels).flatMap(({ channel, middle, half }) =>
          [-1, 1].map((side) => {
            const far = reach * half;
            const within = Math.min(far, GRIP);
            return (
              <div
                key={`${clip.id} ${channel} ${side}`}
                data-testid="threshold-line"
                className="pointer-events-auto absolute cursor-ns-resize touch-none"
                style={{ left: x0, width: x1 - x0, top: side < 0 ? middle - far - GRIP : middle + far - within, height: within + GRIP }}
                onPointerDown={(e) => {
                  if (e.button !== 0) return;
                  e.stopPropagation();
                  const from = { y: e.clientY, reach, threshold };
                  followPointer(e.currentTarget, e.pointerId, {
                    move: (m) => {
                      const now = Math.max(0.5 / half, from.reach + (side * (m.clientY - from.y)) / half);
                      onChange(Math.round(20 * Math.log10(now / magnify)));
                    },
                    drop: () => {},
                    cancel: () => onChange(from.threshold),
                  });
                }}
              >
                <div className="absolute inset-x-0 border-ink border-t border-dashed" style={{ top: side < 0 ? GRIP : within }} />
              </div>
            );
          }),
        );
      })}
    </div>
  );
}
