import { create } from "zustand";
import { persist } from "zustand/middleware";
import { shareTabs } from "@/state/kept/share-tabs";
import type { Command } from "./command";
import { COMMANDS } from "./commands";

/** Keys that a person gave to commands, by command; what is not there has its own keys. */
interface KeySet {
  readonly changed: Readonly<Record<string, readonly string[]>>;
}

export const useKeys = create<KeySet>()(persist((): KeySet => ({ changed: {} }), { name: "wet-thread keys" }));
shareTabs(useKeys);

/** The keys of a command that are in force. */
export const keysOf = (command: Command): readonly string[] => useKeys.getState().changed[command.id] ?? command.keys;

let made: { changed: KeySet["changed"]; byKey: ReadonlyMap<string, Command> } | null = null;
/** The command of a key, by the keys in force. */
export function commandOf(key: string): Command | undefined {
  const { changed } = useKeys.getState();
  if (made?.changed !== changed) made = { changed, byKey: new Map(COMMANDS.flatMap((c) => keysOf(c).map((k) => [k, c]))) };
  return made.byKey.get(key);
}

/** Gives a key to a command, taking it from the one that had it. Other keys of the command stay unless `instead`. */
export function giveKey(id: string, key: string, instead: boolean): void {
  const command = COMMANDS.find((c) => c.id === id);
  if (!command) return;
  const changed: Record<string, readonly string[]> = { ...useKeys.getState().changed };
  const had = commandOf(key);
  if (had && had.id !== id) changed[had.id] = keysOf(had).filter((k) => k !== key);
  changed[id] = instead ? [key] : [...new Set([...keysOf(command), key])];
  useKeys.setState({ changed });
}

export function takeKeys(id: string): void {
  useKeys.setState({ changed: { ...useKeys.getState().changed, [id]: [] } });
}

/** Puts a command's own keys back, or everybody's. */
export function ownKeys(id?: string): void {
  const { [id ?? ""]: _, ...rest } = useKeys.getState().changed;
  useKeys.setState({ changed: id === undefined ? {} : rest });
}

/** The changed keys as text that can be kept and read again. */
export const keysAsText = (): string => JSON.stringify({ wetThreadKeys: 1, changed: useKeys.getState().changed }, null, 2);

/** Reads a set of keys. Throws Error, in words, where the text is none. */
export function readKeys(text: string): void {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new Error("This file is no set of keys: it is not JSON. Your keys are as they were.");
  }
  const { wetThreadKeys, changed } = (value ?? {}) as { wetThreadKeys?: unknown; changed?: Record<string, unknown> };
  if (wetThreadKeys !== 1 || typeof changed !== "object" || changed === null)
    throw new Error("This file is no set of keys. Your keys are as they were.");
  const known = Object.entries(changed).filter(
    (entry): entry is [string, string[]] =>
      COMMANDS.some((c) => c.id === entry[0]) && Array.isArray(entry[1]) && entry[1].every((k) => typeof k === "string" && k.length < 40),
  );
  useKeys.setState({ changed: Object.fromEntries(known) });
}

/** Whether this computer calls its modifiers Command and Option. */
const isMac = (): boolean => typeof navigator !== "undefined" && /Mac|iPhone|iPad/.test(navigator.platform);

/** A key as a person reads it, by the names of this computer's modifiers. */
export const keyText = (key: string): string =>
  key
    .replace("Mod", isMac() ? "Cmd" : "Ctrl")
    .replace("Alt", isMac() ? "Option" : "Alt")
    .replace("ArrowRight", "→")
    .replace("ArrowLeft", "←")
    .replace("ArrowUp", "↑")
    .replace("ArrowDown", "↓")
    .replace(/Page(Up|Down)/, "Page $1");

/** The first key of a command, as a person reads it; empty when it has none. */
export function keyOf(id: string): string {
  const command = COMMANDS.find((c) => c.id === id);
  return keyText((command && keysOf(command)[0]) ?? "");
}

const BRACKETS: Readonly<Record<string, readonly [string, string]>> = { BracketLeft: ["[", "{"], BracketRight: ["]", "}"] };
/** The character on a key where Alt makes another of it, as some keyboards do. */
const plain = (e: KeyboardEvent): string => BRACKETS[e.code]?.[e.shiftKey ? 1 : 0] ?? /^(?:Key|Digit)(.)$/.exec(e.code)?.[1] ?? e.key;

/** A key press as it is written. */
export function pressed(e: KeyboardEvent): string {
  const typed = e.altKey && !/^[\x20-\x7e]$/.test(e.key) && e.key.length === 1 ? plain(e) : e.key;
  const named = typed === " " ? "Space" : typed.length === 1 ? typed.toUpperCase() : typed;
  // A character that needs Shift, such as "+", is its own key; letters and names carry it.
  const shift = e.shiftKey && (named.length > 1 || /[A-Z]/.test(named));
  return `${e.ctrlKey || e.metaKey ? "Mod+" : ""}${e.altKey ? "Alt+" : ""}${shift ? "Shift+" : ""}${named}`;
}
