import type { Command } from "../command";
import { SYNONYMS } from "./synonyms";

/** American and British ways of writing that are one word here. */
const SPELLINGS: readonly (readonly [RegExp, string])[] = [
  [/iz(e|es|ed|ing|er|ation)$/, "is$1"],
  [/^color/, "colour"],
  [/^center/, "centre"],
  [/^favor/, "favour"],
  [/^neighbor/, "neighbour"],
];
const SMALL = new Set(["a", "an", "the", "to", "of", "in", "on", "at", "it", "or", "and", "is", "my", "this", "with", "by", "as"]);

const spelt = (word: string): string => SPELLINGS.reduce((w, [from, to]) => w.replace(from, to), word);
/** The words of a text as they are compared: small letters, no marks, one spelling. */
export const wordsOf = (text: string): string[] =>
  text
    .toLowerCase()
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .split(/[^\p{L}\p{N}/]+/u)
    .filter(Boolean)
    .map(spelt);

interface Entry {
  readonly command: Command;
  readonly place: number;
  readonly title: readonly string[];
  readonly others: readonly string[];
}

/** Whether two words differ by one letter: another one, one more or one less, or two that changed places. */
function nearly(a: string, b: string): boolean {
  if (Math.abs(a.length - b.length) > 1) return false;
  let i = 0;
  while (i < Math.min(a.length, b.length) && a[i] === b[i]) i++;
  const [x, y] = [a.slice(i), b.slice(i)];
  return x.slice(1) === y.slice(1) || x.slice(1) === y || x === y.slice(1) || (x[0] === y[1] && x[1] === y[0] && x.slice(2) === y.slice(2));
}

/** Words that are shorter are other words with another letter. */
const LEAST_FOR_ERRORS = 5;

/** How well a word that was typed fits another: whole, as its beginning, with a wrong letter; 0 where it does not. */
const fit = (typed: string, word: string, errors: boolean): number =>
  word === typed ? 4 : word.startsWith(typed) ? 2 : errors && typed.length >= LEAST_FOR_ERRORS && nearly(typed, word) ? 1 : 0;

/** The best of some fits, each counted by its place. */
const best = (typed: string, words: readonly string[], errors: boolean, weigh: (fit: number, place: number) => number): number =>
  words.reduce((most, word, place) => {
    const found = fit(typed, word, errors);
    return found === 0 ? most : Math.max(most, weigh(found, place));
  }, 0);

/** What a title begins with tells most. */
const inTitle = (found: number, place: number): number => 1.5 * found + (place === 0 ? 0.75 : 0);
/** The first of the other words is what most people call it; the next few mean it as much as its title does. */
const PRIMARY = 4;
const inOthers = (found: number, place: number): number => (place < PRIMARY ? 1.5 : 1) * found + (place === 0 && found === 4 ? 1 : 0);

/**
 * Finds commands by words: each that was typed is a word, or the beginning of one, of the command's title or of its other words. What fits the
 * title comes first, whole words before beginnings; among equals what was used last, then in the commands' order. Where nothing fits, words
 * that differ by a letter count too.
 */
export function commandFinder(commands: readonly Command[]): (search: string, used?: readonly string[]) => Command[] {
  const entries = commands.map(
    (command, place): Entry => ({
      command,
      place,
      title: wordsOf(command.title),
      others: wordsOf(SYNONYMS[command.id] ?? ""),
    }),
  );
  return (search, used = []) => {
    const typed = wordsOf(search);
    const wanted = typed.filter((w, i) => !SMALL.has(w) || (typed.length === 1 && i === 0));
    const usedPlace = (id: string): number => {
      const at = used.indexOf(id);
      return at < 0 ? used.length : at;
    };
    const ranked = (errors: boolean): Command[] =>
      entries
        .flatMap((e) => {
          let score = 0;
          for (const word of wanted) {
            const [own, other] = [best(word, e.title, errors, inTitle), best(word, e.others, errors, inOthers)];
            if (own === 0 && other === 0) return [];
            score += Math.max(own, other) + (own > 0 && other > 0 ? 0.5 : 0);
          }
          // Small words mean nothing by themselves, but tell two titles apart.
          score += 0.3 * typed.filter((w) => !wanted.includes(w) && e.title.includes(w)).length;
          // Of two that fit alike the one that says less besides is meant.
          if (e.title.join(" ") === typed.join(" ")) score += 3;
          return [{ ...e, score: score - 0.02 * e.title.length }];
        })
        .sort((a, b) => b.score - a.score || usedPlace(a.command.id) - usedPlace(b.command.id) || a.place - b.place)
        .map((e) => e.command);
    if (wanted.length === 0) return [...commands].sort((a, b) => usedPlace(a.id) - usedPlace(b.id));
    const found = ranked(false);
    return found.length > 0 ? found : ranked(true);
  };
}
