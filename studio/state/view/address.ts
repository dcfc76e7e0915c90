import type { Document } from "@wet-thread/core/model/document";
import { session } from "../sync/session";
import { toast } from "../words/toast";
import { setView, useView, type View, view, zoomWithin } from "./view";
import { goTo } from "./view-history";

/** The address follows once the view has been still for this long, in ms. */
const FOLLOWS_AFTER_MS = 250;
/** More clips than this are not written out: addresses have an end. */
const MOST_CLIPS = 1000;

type Named = Pick<View, "start" | "samplesPerPixel" | "scrollY" | "playhead" | "clipIds" | "range" | "seamId" | "trackId">;

const list = (ids: Iterable<string>): string => [...ids].map(encodeURIComponent).join(",");
const ids = (text: string): string[] => text.split(",").filter(Boolean).map(decodeURIComponent);

/** View and selection as the part of an address behind "#". */
export function addressOf(v: Named): string {
  const parts = [
    `at=${Math.round(v.start)}`,
    `per=${Number(v.samplesPerPixel.toPrecision(7))}`,
    `top=${Math.round(v.scrollY)}`,
    `head=${Math.round(v.playhead)}`,
  ];
  if (v.trackId) parts.push(`track=${encodeURIComponent(v.trackId)}`);
  if (v.clipIds.size > 0 && v.clipIds.size <= MOST_CLIPS) parts.push(`clips=${list(v.clipIds)}`);
  if (v.range) parts.push(`range=${v.range.start}-${v.range.end}`, `on=${list(v.range.trackIds)}`);
  if (v.seamId) parts.push(`seam=${encodeURIComponent(v.seamId)}`);
  return parts.join("&");
}

/** What an address says of view and selection, as far as the piece has it; `gone` when it names what is not there. Null when it says nothing. */
export function readAddressText(text: string, doc: Document): { named: Partial<Named>; gone: boolean } | null {
  const parts = new Map<string, string>();
  for (const part of text.replace(/^#/, "").split("&")) {
    const at = part.indexOf("=");
    if (at > 0) parts.set(part.slice(0, at), part.slice(at + 1));
  }
  const number = (key: string): number | undefined => {
    const value = Number(parts.get(key));
    return parts.has(key) && Number.isFinite(value) && value >= 0 ? value : undefined;
  };
  const [start, per] = [number("at"), number("per")];
  if (start === undefined || per === undefined || per === 0) return null;
  let gone = false;
  const there = (wanted: string[], have: { get(id: string): unknown }): string[] => {
    const found = wanted.filter((id) => have.get(id) !== undefined);
    gone ||= found.length < wanted.length;
    return found;
  };
  const named: { -readonly [K in keyof Named]?: Named[K] } = { start, samplesPerPixel: zoomWithin(per), scrollY: number("top") ?? 0 };
  try {
    named.playhead = number("head") ?? 0;
    const [track] = there(ids(parts.get("track") ?? ""), doc.tracks);
    named.trackId = track ?? null;
    named.clipIds = new Set(there(ids(parts.get("clips") ?? ""), doc.clips));
    const span = /^(\d+)-(\d+)$/.exec(parts.get("range") ?? "");
    const trackIds = there(ids(parts.get("on") ?? ""), doc.tracks);
    named.range = span && Number(span[2]) > Number(span[1]) && trackIds.length ? { start: Number(span[1]), end: Number(span[2]), trackIds } : null;
    named.seamId = parts.has("seam") ? decodeURIComponent(parts.get("seam") as string) : null;
  } catch {
    // A broken percent sign: the view is still good.
    gone = true;
  }
  return { named, gone };
}

/** Goes to what the page's address names; false when it names no view. */
export function readAddress(): boolean {
  const read = readAddressText(window.location.hash, session().doc);
  if (!read) return false;
  const { named, gone } = read;
  goTo({ start: named.start, samplesPerPixel: named.samplesPerPixel, scrollY: named.scrollY, tall: null });
  const { start: _, samplesPerPixel: __, scrollY: ___, ...selected } = named;
  setView({ ...selected, ...(named.seamId ? { tab: "seam" as const } : {}) });
  if (gone) toast("Some of what the address names is not in this version any more.", { id: "address" });
  return true;
}

/** Keeps the address at what is seen and selected, and goes where a changed address says. Returns how to stop. */
export function followAddress(): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let written = "";
  const write = (): void => {
    const { project, versionId } = session().store.getState();
    written = `#${addressOf(view())}`;
    // The browser's own: the framework's would look through the whole page for what a new address changes, and nothing does.
    History.prototype.replaceState.call(window.history, window.history.state, "", `/p/${project.id}?version=${versionId}${written}`);
  };
  const changed = (): void => {
    // What comes back as it was written is no wish to go anywhere.
    if (window.location.hash !== written) readAddress();
  };
  const off = useView.subscribe((v, old) => {
    if (v.playing) return;
    const same =
      v.start === old.start &&
      v.samplesPerPixel === old.samplesPerPixel &&
      v.scrollY === old.scrollY &&
      v.playhead === old.playhead &&
      v.clipIds === old.clipIds &&
      v.range === old.range &&
      v.seamId === old.seamId &&
      v.trackId === old.trackId;
    if (same) return;
    clearTimeout(timer);
    timer = setTimeout(write, FOLLOWS_AFTER_MS);
  });
  window.addEventListener("hashchange", changed);
  return () => {
    off();
    clearTimeout(timer);
    window.removeEventListener("hashchange", changed);
  };
}
