import MiniSearch from "minisearch";
import { create } from "zustand";
import { ask } from "../sync/api";
import { setView } from "../view/view";

/** Words of the guide: plain, stressed, or a key or a text to type. */
export interface Words {
  readonly text: string;
  readonly as?: "code" | "em" | "strong";
}

/** A page of the guide (docs/guide.md), as the server reads it. */
export interface GuidePage {
  readonly id: string;
  readonly title: string;
  readonly paragraphs: readonly (readonly Words[])[];
  readonly picture?: { readonly name: string; readonly shows: string };
}

interface Guide {
  /** Null until it has come. */
  readonly pages: readonly GuidePage[] | null;
  /** Why it has not come. */
  readonly wrong: string | null;
}

export const useGuide = create<Guide>(() => ({ pages: null, wrong: null }));

let coming: Promise<void> | null = null;

/** Fetches the guide, once: from then on it is there, whether the server is or not. A fetch that failed is tried again by the next who asks. */
export function fetchGuide(): Promise<void> {
  coming ??= ask<{ pages: GuidePage[] }>("/api/help").then(
    ({ pages }) => useGuide.setState({ pages, wrong: null }),
    (error: Error) => {
      coming = null;
      useGuide.setState({ wrong: error.message });
    },
  );
  return coming;
}

/** Opens the help: its contents, one of its pages, or what it finds for some words. */
export function openHelp({ page = null, search = "" }: { page?: string | null; search?: string } = {}): void {
  void fetchGuide();
  setView({ help: { page, search } });
}

export const textOf = (page: GuidePage): string => page.paragraphs.map((p) => p.map((w) => w.text).join("")).join(" ");

/** Something that can be found: its words, and what is said of it. */
export interface Findable {
  readonly id: string;
  readonly title: string;
  readonly text: string;
}

/** Finds what holds some words, their beginnings, or long words that differ by a letter; what holds them in its title comes first. */
export function finder(things: readonly Findable[]): (search: string) => { id: string; terms: readonly string[] }[] {
  // Short words are other words with another letter: a take is no tape.
  const fuzzy = (term: string): number | false => (term.length > 5 ? 0.15 : false);
  const index = new MiniSearch<Findable>({ fields: ["title", "text"], searchOptions: { boost: { title: 3 }, prefix: true, fuzzy } });
  index.addAll(things);
  return (search) => {
    // All words count; where nothing holds all of them, any.
    const all = index.search(search, { combineWith: "AND" });
    return (all.length > 0 ? all : index.search(search)).map(({ id, terms }) => ({ id, terms }));
  };
}

const AROUND = 70;

/** The part of a text around the first of some words, cut at spaces. */
export function excerpt(text: string, terms: readonly string[]): string {
  const low = text.toLowerCase();
  const at = Math.min(...terms.map((t) => low.indexOf(t)).map((i) => (i < 0 ? text.length : i)));
  if (at === text.length || at < AROUND) return text.length > 2 * AROUND ? `${text.slice(0, text.lastIndexOf(" ", 2 * AROUND))}\u00a0…` : text;
  const from = text.indexOf(" ", at - AROUND) + 1;
  const to = text.length > at + AROUND ? text.lastIndexOf(" ", at + AROUND) : text.length;
  return `…\u00a0${text.slice(from, to)}${to < text.length ? "\u00a0…" : ""}`;
}
