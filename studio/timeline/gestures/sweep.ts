import type { Document } from "@wet-thread/core/model/document";
import type { Clip } from "@wet-thread/core/model/schema";
import { view } from "@/state/view/view";
import { alongStroke } from "../model/stroke";
import { zoneAt } from "../model/zones";
import type { Point } from "./gesture";

/** The clips that a stroke has met so far, asked with each of its points; each clip met brings along what `bring` says. */
export function clipsAlong(doc: Document, pressed: Point, bring: (clip: Clip) => readonly Clip[]): (p: Point) => string[] {
  const ids = new Set<string>();
  let last: { readonly x: number; readonly y: number } = pressed;
  return (p) => {
    for (const { x, y } of alongStroke(last, p)) {
      const { clip } = zoneAt(doc, view(), x, y);
      if (clip && !ids.has(clip.id)) for (const c of bring(clip)) ids.add(c.id);
    }
    last = { x: p.x, y: p.y };
    return [...ids];
  };
}
