import type { GestureKeys } from "@/timeline/host";
import type { Command } from "../command";
import { LOANS, type Loan, TAP_MS } from "../commands";
import { commandOf, pressed } from "../keys";

const typing = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) &&
  !(target instanceof HTMLInputElement && /^(range|checkbox|radio|button)$/.test(target.type));
/** Open menus take their own keys; sliders and buttons only those that work them. */
const inMenu = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && target.closest("[role=menu],[role=dialog],[role=listbox]") !== null;
const takes = ({ target, key, ctrlKey, metaKey, altKey, shiftKey }: KeyboardEvent): boolean => {
  if (!(target instanceof HTMLElement)) return false;
  if (target.getAttribute("role") === "slider") return /^(Arrow|Page|Home|End)/.test(key);
  if (/^(tab|radio)$/.test(target.getAttribute("role") ?? "")) return /^Arrow/.test(key);
  if (/^(BUTTON|A)$/.test(target.tagName)) return key === "Enter" && !(ctrlKey || metaKey || altKey || shiftKey);
  return false;
};

const panelOpen = (): boolean => document.querySelector("[role=dialog][data-state=open]") !== null;
/** Commands that only look and listen. */
const LEAVES_THE_PIECE =
  /^(play|play-.*|metronome|zoom-.*|close-up|scroll-.*|magnify.*|follow|theme|lock|to-start|to-end|next-(?!tab).*|previous-(?!tab).*|palette|keys|help)$/;

/** What a key means while something is being dragged: the modes that it lends, and playing. Alt and Shift then belong to the drag, whichever of the keys came first. */
function inGesture(key: string): Command | undefined {
  const command = commandOf(key.replace(/^(Mod\+|Alt\+|Shift\+)+/, ""));
  return command && /^(snap|neighbours-.*|overlaps-.*|play)$/.test(command.id) ? command : undefined;
}

/** Listens for keys until the returned function is called. */
export function listenForKeys({ cancel, regrip, busy }: GestureKeys): () => void {
  const held = new Map<string, { since: number; gestured: boolean; end: () => void; loan: Loan }>();
  const giveBack = (code: string): void => {
    const one = held.get(code);
    if (!one) return;
    held.delete(code);
    one.end();
    if (performance.now() - one.since < TAP_MS && !one.gestured) one.loan.tap();
    regrip({});
  };
  /** Whether something was open when the key went down: the same press may have closed it by the time it comes here. */
  let openBefore = false;
  const press = (): void => {
    openBefore = panelOpen();
  };
  const down = (e: KeyboardEvent): void => {
    if ((e.key === "Alt" || e.key === "Shift") && busy()) {
      e.preventDefault();
      return regrip({ [e.key === "Alt" ? "alt" : "shift"]: true });
    }
    if (typing(e.target) || inMenu(e.target)) return;
    const key = pressed(e);
    // An open panel takes Escape itself; what is selected stays so.
    if (e.key === "Escape" && (cancel() || openBefore)) return;
    // The grid key counts with Shift and Alt too, before a drag as in it.
    const bare = commandOf(key.replace(/^(Alt\+|Shift\+)+/, ""));
    const command = busy() ? inGesture(key) : (commandOf(key) ?? (bare?.id === "snap" ? bare : undefined));
    const loan = command && LOANS.get(command.id);
    if (loan && !(panelOpen() && /^(solo|paste)$/.test(command.id))) {
      e.preventDefault();
      if (e.repeat || held.has(e.code)) return;
      held.set(e.code, { since: performance.now(), gestured: busy(), end: loan.lend(), loan });
      return regrip({});
    }
    // What the browser has on a key (its menus, for Alt) does not come up in the middle of a drag.
    if (busy()) e.preventDefault();
    if (!command || takes(e)) return;
    e.preventDefault();
    // While something is open that takes typing, keys leave the piece alone, wherever the focus has gone.
    if (openBefore && !LEAVES_THE_PIECE.test(command.id)) return;
    command.run();
  };
  const up = (e: KeyboardEvent): void => {
    if (e.key === "Alt" || e.key === "Shift") regrip({ [e.key === "Alt" ? "alt" : "shift"]: false });
    giveBack(e.code);
  };
  // Held through a gesture the key only lends, however short the press was; many gestures keep the press to themselves.
  const pointer = (): void => {
    for (const one of held.values()) one.gestured = true;
  };
  const blur = (): void => {
    for (const code of [...held.keys()]) giveBack(code);
  };
  window.addEventListener("keydown", press, true);
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", blur);
  window.addEventListener("pointerdown", pointer, true);
  return () => {
    window.removeEventListener("keydown", press, true);
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", blur);
    window.removeEventListener("pointerdown", pointer, true);
  };
}
