"use client";
import { Command as List } from "cmdk";
import { Dialog } from "radix-ui";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import type { Command } from "@/commands/command";
import { COMMANDS } from "@/commands/commands";
import { commandFinder } from "@/commands/find/find-command";
import { keysOf, keyText } from "@/commands/keys";
import { setSettings, settings } from "@/state/kept/settings";
import { setView, useView } from "@/state/view/view";
import { fetchGuide, finder, openHelp, textOf, useGuide } from "@/state/words/help";

const OTHERS = COMMANDS.filter((c) => c.id !== "palette");
const find = commandFinder(OTHERS);
/** So many that were used last are remembered, and so many are shown before anything is typed. */
const [MOST_USED, SHOWN_USED] = [20, 6];
const MOST_PAGES = 4;

function inHelp(to: { search?: string; page?: string }): void {
  setView({ panel: null });
  openHelp(to);
}

function Item({ id, onSelect, children }: { id: string; onSelect: () => void; children: ReactNode }) {
  return (
    <List.Item
      value={id}
      onSelect={onSelect}
      className="flex h-8 cursor-default items-center justify-between gap-4 rounded-sm px-2.5 data-[selected=true]:bg-weft"
    >
      {children}
    </List.Item>
  );
}

/** Every command, found by typing words of it or what else it is called, with its key; and the pages of the help that hold them. */
export function Palette() {
  const open = useView((v) => v.panel === "palette");
  const pages = useGuide((g) => g.pages);
  const chosen = useRef<(() => void) | null>(null);
  const [search, setSearch] = useState("");
  const [used, setUsed] = useState<readonly string[]>([]);
  // What was chosen is done once the palette is gone and the focus is back, as its key would do it.
  useEffect(() => {
    if (open) {
      setSearch("");
      setUsed(settings().used);
      void fetchGuide();
      return;
    }
    const run = chosen.current;
    chosen.current = null;
    run?.();
  }, [open]);
  const inGuide = useMemo(() => finder((pages ?? []).map((p) => ({ id: p.id, title: p.title, text: textOf(p) }))), [pages]);
  const empty = search.trim() === "";
  const found = find(search, used);
  const last = empty ? found.filter((c) => used.includes(c.id)).slice(0, SHOWN_USED) : [];
  const help = empty ? [] : inGuide(search).slice(0, MOST_PAGES);
  const choose = (command: Command): void => {
    setSettings({ used: [command.id, ...used.filter((id) => id !== command.id)].slice(0, MOST_USED) });
    chosen.current = () => command.run();
    setView({ panel: null });
  };
  const line = (command: Command) => (
    <Item key={command.id} id={command.id} onSelect={() => choose(command)}>
      <span className="truncate">{command.title}</span>
      <kbd className="num shrink-0 text-ink-2 text-xs">{keysOf(command).map(keyText).join("  ")}</kbd>
    </Item>
  );
  const heading = "px-2.5 pt-1.5 pb-0.5 text-ink-2 text-sm";
  return (
    <Dialog.Root open={open} onOpenChange={(on) => !on && setView({ panel: null })}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[14vh] left-1/2 z-50 w-[520px] max-w-[92vw] -translate-x-1/2 overflow-hidden rounded-lg border border-line bg-raised shadow-float outline-none"
        >
          <Dialog.Title className="sr-only">Find a command</Dialog.Title>
          <List label="Find a command" loop shouldFilter={false}>
            <List.Input
              autoFocus
              value={search}
              onValueChange={setSearch}
              placeholder="What do you want to do?"
              className="h-11 w-full border-line border-b bg-transparent px-4 text-[15px] outline-none placeholder:text-ink-3"
            />
            <List.List className="max-h-[46vh] overflow-y-auto p-1.5">
              {!empty && found.length === 0 && (
                <p className="p-4 text-center text-ink-2" role="status">
                  No command fits “{search.trim()}”.{" "}
                  {help.length === 0 && (
                    <button type="button" className="underline" onClick={() => inHelp({ search })}>
                      Look in the help
                    </button>
                  )}
                </p>
              )}
              {last.length > 0 && <List.Group heading={<p className={heading}>Used last</p>}>{last.map(line)}</List.Group>}
              {found.length > last.length && (
                <List.Group heading={last.length > 0 ? <p className={heading}>Everything</p> : undefined}>
                  {found.filter((c) => !last.includes(c)).map(line)}
                </List.Group>
              )}
              {help.length > 0 && (
                <List.Group heading={<p className={heading}>In the help</p>}>
                  {help.map(({ id }) => (
                    <Item key={`help ${id}`} id={`help ${id}`} onSelect={() => inHelp({ page: id })}>
                      <span className="truncate">{pages?.find((p) => p.id === id)?.title}</span>
                    </Item>
                  ))}
                </List.Group>
              )}
            </List.List>
          </List>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
