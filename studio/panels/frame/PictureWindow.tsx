"use client";
import { formatTimecode, frameRate, sampleToFrame } from "@wet-thread/core/time/timecode";
import { ChevronLeft, ChevronRight, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { runCommand } from "@/commands/commands";
import { keyOf } from "@/commands/keys";
import { transport } from "@/engine/transport";
import { setSettings, settings, useSettings } from "@/state/kept/settings";
import { session } from "@/state/sync/session";
import { useView, view } from "@/state/view/view";
import { preview, usePreview } from "@/timeline/model/preview";
import { PALETTES } from "@/timeline/model/theme";
import { Field } from "@/ui/controls";
import { followPointer } from "@/ui/pointer-drag";

const [WIDTH, HEIGHT] = [240, 135];

/** The frame that is on, with the offset of the picture. */
function frameNow(): { frame: number; rate: ReturnType<typeof frameRate> } {
  const { doc } = session();
  const rate = frameRate(doc.piece.frameRate);
  const at = Math.round(preview().playhead ?? (view().playing ? transport().position() : view().playhead));
  return { frame: sampleToFrame(at, rate, doc.sampleRate) + settings().pictureOffset, rate };
}

/** A made-up frame, drawn from nothing but its number: the mill wheel turns, the clock goes, a shuttle flies once a second. */
function draw(g: CanvasRenderingContext2D, frame: number, count: number, vat: boolean): void {
  const p = PALETTES[vat ? "vat" : "day"];
  g.fillStyle = p.dyes.indigo;
  g.fillRect(0, 0, WIDTH, HEIGHT);
  g.fillStyle = p.dyes.walnut;
  g.fillRect(0, HEIGHT - 26, WIDTH, 26);
  const turn = (frame / count) * (Math.PI / 4);
  g.save();
  g.translate(66, 70);
  g.strokeStyle = p.dyes.weld;
  g.lineWidth = 4;
  g.beginPath();
  g.arc(0, 0, 40, 0, 2 * Math.PI);
  g.stroke();
  g.lineWidth = 2;
  for (let k = 0; k < 8; k++) {
    const a = turn + (k * Math.PI) / 4;
    g.beginPath();
    g.moveTo(0, 0);
    g.lineTo(46 * Math.cos(a), 46 * Math.sin(a));
    g.stroke();
  }
  g.restore();
  g.save();
  g.translate(176, 46);
  g.fillStyle = p.raised;
  g.beginPath();
  g.arc(0, 0, 28, 0, 2 * Math.PI);
  g.fill();
  g.strokeStyle = p.ink;
  const hand = (part: number, length: number, width: number): void => {
    g.lineWidth = width;
    g.beginPath();
    g.moveTo(0, 0);
    g.lineTo(length * Math.sin(2 * Math.PI * part), -length * Math.cos(2 * Math.PI * part));
    g.stroke();
  };
  const seconds = Math.floor(frame / count);
  hand(seconds / 3600, 17, 3);
  hand(seconds / 60, 24, 1.5);
  g.restore();
  // Where in its second the frame lies.
  g.fillStyle = p.dyes.madder;
  g.fillRect(120 + 100 * ((((frame % count) + count) % count) / count), HEIGHT - 44, 14, 5);
  g.fillStyle = p.raised;
  g.font = "600 13px 'Red Hat Mono Variable', monospace";
  g.fillText(String(frame), 8, HEIGHT - 9);
}

/** A stand-in for a film: a made-up frame for each number, following the playhead, for editing to frames. Its number is in `data-frame`. */
export function PictureWindow() {
  const theme = useSettings((s) => s.theme);
  const offset = useSettings((s) => s.pictureOffset);
  const canvas = useRef<HTMLCanvasElement>(null);
  const code = useRef<HTMLSpanElement>(null);
  // Above where imports tell how far they are.
  const [place, setPlace] = useState({ right: 16, bottom: 190 });
  useEffect(() => {
    let due = 0;
    let last = "";
    const write = (): void => {
      due = 0;
      const { frame, rate } = frameNow();
      const key = `${frame} ${rate.id} ${theme}`;
      const g = canvas.current?.getContext("2d");
      if (key !== last && g && canvas.current) {
        last = key;
        canvas.current.dataset.frame = String(frame);
        g.setTransform(2, 0, 0, 2, 0, 0);
        draw(g, frame, rate.count, theme === "vat");
        if (code.current) code.current.textContent = formatTimecode(frame, rate);
      }
      if (view().playing) request();
    };
    const request = (): void => {
      if (!due) due = requestAnimationFrame(write);
    };
    const offs = [useView.subscribe(request), usePreview.subscribe(request), session().store.subscribe(request), useSettings.subscribe(request)];
    request();
    return () => {
      for (const off of offs) off();
      cancelAnimationFrame(due);
    };
  }, [theme]);
  const move = (e: React.PointerEvent): void => {
    if ((e.target as HTMLElement).closest("button, input")) return;
    const from = place;
    followPointer(e.currentTarget as HTMLElement, e.pointerId, {
      move: ({ clientX, clientY }) =>
        setPlace({
          right: Math.max(0, Math.min(window.innerWidth - WIDTH - 20, from.right - clientX + e.clientX)),
          bottom: Math.max(0, Math.min(window.innerHeight - HEIGHT - 80, from.bottom - clientY + e.clientY)),
        }),
      drop: () => {},
      cancel: () => setPlace(from),
    });
  };
  const step = "rounded-sm p-1 hover:bg-weft";
  return (
    <section
      aria-label="Picture"
      className="fixed z-30 touch-none rounded-lg border border-line bg-raised p-2 shadow-float"
      style={place}
      onPointerDown={move}
    >
      <div className="mb-1.5 flex items-center gap-1">
        <span ref={code} className="num font-semibold" />
        <button
          type="button"
          className={`${step} ml-auto`}
          aria-label="One frame back"
          title={`One frame back  ${keyOf("frame-back")}`}
          onClick={() => runCommand("frame-back")}
        >
          <ChevronLeft size={15} />
        </button>
        <button
          type="button"
          className={step}
          aria-label="One frame on"
          title={`One frame on  ${keyOf("frame-on")}`}
          onClick={() => runCommand("frame-on")}
        >
          <ChevronRight size={15} />
        </button>
        <button type="button" className={step} aria-label="Close the picture" onClick={() => setSettings({ picture: false })}>
          <X size={15} />
        </button>
      </div>
      <canvas
        ref={canvas}
        data-testid="picture"
        width={WIDTH * 2}
        height={HEIGHT * 2}
        className="block rounded-sm"
        style={{ width: WIDTH, height: HEIGHT }}
        role="img"
        aria-label="A made-up frame"
      />
      <Field
        className="mt-1.5 w-[240px]"
        label="Offset of the picture"
        unit="frames later"
        value={String(offset)}
        onCommit={(text) => {
          const n = Number(text.replace("−", "-"));
          if (!Number.isInteger(n) || Math.abs(n) > 10_000_000) return false;
          setSettings({ pictureOffset: n });
        }}
      />
    </section>
  );
}
