import type { Document } from "../../model/document";
import { bundleClips } from "../bundles/members";
import type { Linking } from "../definition";
import { EditError } from "../errors";
import { leadsOf, type SeamName, withLinkedSeams, withLinkedTracks } from "./links";

/*
 * What links between tracks bring into an edit: worked out before it runs, so that edits know nothing of it.
 */

/** What of an edit falls to one track that a link brings in. */
export interface Share {
  readonly trackId: string;
  /** What of the parameters names what is to be edited along. */
  readonly more?: readonly unknown[];
  /** For each clip that it brings in, the one that it goes along with. */
  readonly leads?: ReadonlyMap<string, string>;
  /** What of the parameters is different where the edit is done once more there. */
  readonly instead?: object;
}

/**
 * An edit on linked tracks is whole on each of them, or that track is left as it was, and named: where it can't be done on all, it is done on those
 * that can follow. Throws EditError where it can't be done on the tracks that were meant themselves.
 */
export function throughLinks<O extends { readonly notes: readonly string[] }>(
  doc: Document,
  shares: readonly Share[],
  done: (taken: readonly Share[]) => O,
): O {
  try {
    return done(shares);
  } catch (error) {
    if (!(error instanceof EditError) || shares.length === 0) throw error;
  }
  const taken: Share[] = [];
  const left: string[] = [];
  let outcome = done(taken);
  for (const share of shares) {
    try {
      outcome = done([...taken, share]);
      taken.push(share);
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      left.push(`${doc.tracks.get(share.trackId)?.name || "A linked track"} was left as it was, though it is linked: ${error.message}`);
    }
  }
  return { ...outcome, notes: [...outcome.notes, ...left] };
}

/** Parameters with what some linked tracks add to what they name. */
export function withShares(params: object, on: Linking | undefined, taken: readonly Share[]): object {
  const more = taken.flatMap((s) => s.more ?? []);
  if (!on || more.length === 0) return params;
  const field = fieldOf(on, params);
  return { ...params, [field]: [...(params as Record<string, unknown[]>)[field], ...more] };
}

/** The parameter that links extend: where clips may be named, but tracks are, those. */
const fieldOf = (on: Linking, params: object): string => (on === "clipIds" && !(params as { clipIds?: string[] }).clipIds?.length ? "trackIds" : on);

/** What falls to each track that links bring into an edit. */
export function linkedShares(doc: Document, on: Linking, params: object): Share[] {
  const field = fieldOf(on, params);
  const named = (params as Record<string, unknown>)[field];
  const byTrack = new Map<string, { more: unknown[]; leads: Map<string, string> }>();
  const shareOf = (trackId: string) => {
    let share = byTrack.get(trackId);
    if (!share) {
      share = { more: [], leads: new Map() };
      byTrack.set(trackId, share);
    }
    return share;
  };
  if (field === "clipId" || field === "bundleId") {
    if (field === "bundleId")
      return partnerBundles(doc, named as string).map((bundleId) => ({ trackId: doc.bundles.get(bundleId)?.trackId ?? "", instead: { bundleId } }));
    return [...leadsOf(doc, [named as string]).keys()].map((clipId) => ({
      trackId: doc.clips.get(clipId)?.trackId ?? "",
      instead: { clipId, with: undefined },
    }));
  }
  if (!(named as unknown[] | undefined)?.length) return [];
  if (field === "trackIds") {
    const own = new Set(named as string[]);
    for (const id of withLinkedTracks(doc, named as string[])) if (!own.has(id)) shareOf(id).more.push(id);
  } else if (field === "seams") {
    const own = new Set(named as SeamName[]);
    for (const seam of withLinkedSeams(doc, named as SeamName[])) {
      if (own.has(seam)) continue;
      const clip = doc.clips.get(seam.left ?? seam.right ?? "");
      shareOf(clip?.trackId ?? "").more.push(seam);
    }
  } else
    for (const [id, lead] of leadsOf(doc, named as string[])) {
      const share = shareOf(doc.clips.get(id)?.trackId ?? "");
      share.more.push(id);
      share.leads.set(id, lead);
    }
  return [...byTrack].map(([trackId, share]) => ({ trackId, ...share }));
}

/** The bundles on linked tracks whose clips all go along with those of a bundle. */
function partnerBundles(doc: Document, bundleId: string): string[] {
  const own = bundleClips(doc, bundleId).map((c) => c.id);
  const along = new Set([...leadsOf(doc, own).keys()]);
  const found = new Set<string>();
  for (const id of along) {
    const bundle = doc.clips.get(id)?.bundle;
    if (bundle && bundle !== bundleId && bundleClips(doc, bundle).every((c) => along.has(c.id))) found.add(bundle);
  }
  return [...found];
}
