"use client";
import { useEffect, useRef } from "react";
import { WAVE_STEP } from "@/engine/recorded-wave";
import { type Growing, recorder } from "@/engine/recorder";
import { useRecorder } from "@/state/kept/recording";
import { settings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { CLOTH_TOP, type LaneBox, laneBoxes, RAIL } from "@/timeline/model/geometry";
import { rulersHeight } from "@/timeline/paint/rulers";

const NAME_ROOM = 18;

/** What is being recorded, drawn over the lanes as it grows; gone once it lies in the piece. */
export function RecordingStrips() {
  const active = useRecorder((r) => r.phase !== "off");
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const at = canvas.current;
    if (!active || !at) return;
    let frame = requestAnimationFrame(function draw() {
      paint(at);
      frame = requestAnimationFrame(draw);
    });
    return () => cancelAnimationFrame(frame);
  }, [active]);
  if (!active) return null;
  return <canvas ref={canvas} className="pointer-events-none absolute inset-0 size-full" data-testid="recording-strips" aria-hidden />;
}

function paint(canvas: HTMLCanvasElement): void {
  const { width, height } = canvas.getBoundingClientRect();
  const ratio = window.devicePixelRatio;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
  }
  const g = canvas.getContext("2d");
  if (!g) return;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  g.clearRect(0, 0, width, height);
  const top = rulersHeight(settings().rulers);
  g.beginPath();
  g.rect(0, top, width, height - top);
  g.save();
  g.clip();
  const style = getComputedStyle(canvas);
  const look = { line: style.getPropertyValue("--madder"), ground: style.getPropertyValue("--raised"), ink: style.getPropertyValue("--ink") };
  const boxes = laneBoxes(session().doc);
  for (const one of recorder().growing()) {
    const box = boxes.find((b) => b.trackId === one.trackId);
    if (box) strip(g, one, box, top, width, look);
  }
  g.restore();
}

function strip(
  g: CanvasRenderingContext2D,
  { parts, name, lows, highs }: Growing,
  box: LaneBox,
  rulers: number,
  width: number,
  look: { readonly line: string; readonly ground: string; readonly ink: string },
): void {
  const { start, samplesPerPixel, scrollY } = view();
  const [y, tall] = [rulers + box.top - scrollY + CLOTH_TOP, box.height - CLOTH_TOP - RAIL];
  for (const part of parts) {
    const [x0, x1] = [(part.start - start) / samplesPerPixel, (part.start + part.length - start) / samplesPerPixel];
    if (x1 < 0 || x0 > width) continue;
    g.fillStyle = look.ground;
    g.fillRect(x0, y, x1 - x0, tall);
    g.globalAlpha = 0.16;
    g.fillStyle = look.line;
    g.fillRect(x0, y, x1 - x0, tall);
    g.globalAlpha = 1;
    g.strokeStyle = look.line;
    g.lineWidth = 2;
    g.strokeRect(x0 + 1, y + 1, Math.max(0, x1 - x0 - 2), tall - 2);
    const middle = y + (tall + NAME_ROOM) / 2;
    const half = Math.max(2, (tall - NAME_ROOM) / 2);
    const at = (x: number): number => Math.floor((part.offset + start + x * samplesPerPixel - part.start) / WAVE_STEP);
    const last = Math.min(x1, width);
    for (let x = Math.max(0, Math.floor(x0)); x < last; x++) {
      let [low, high] = [0, 0];
      const from = Math.max(0, at(Math.max(x, x0)));
      for (let i = from; i <= Math.max(from, at(x + 1) - 1) && i < lows.length; i++) {
        low = Math.min(low, lows[i]);
        high = Math.max(high, highs[i]);
      }
      const [up, down] = [Math.min(1, high) * half, Math.min(1, -low) * half];
      g.fillRect(x, middle - up, 1, Math.max(1, up + down));
    }
    g.fillStyle = look.ink;
    g.font = "600 11px var(--font-sans, sans-serif)";
    g.save();
    g.beginPath();
    g.rect(x0, y, x1 - x0, tall);
    g.clip();
    g.fillText(name, Math.max(x0, 0) + 6, y + 13);
    g.restore();
  }
}
