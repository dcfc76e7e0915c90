"use client";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import { COMMANDS } from "@/commands/commands";
import { keysOf, keyText } from "@/commands/keys";
import { setView, useView } from "@/state/view/view";
import { openHelp } from "@/state/words/help";

function inHelp(search: string): void {
  setView({ panel: null });
  openHelp({ search });
}

/** Every command, found by typing, with its key. */
export function Palette() {
  const open = useView((v) => v.panel === "palette");
  const chosen = useRef<(() => void) | null>(null);
  const [search, setSearch] = useState("");
  // What was chosen is done once the palette is gone and the focus is back, as its key would do it.
  useEffect(() => {
    if (open) return setSearch("");
    const run = chosen.current;
    chosen.current = null;
    run?.();
  }, [open]);
  return (
    <Dialog.Root open={open} onOpenChange={(on) => !on && setView({ panel: null })}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[14vh] left-1/2 z-50 w-[520px] max-w-[92vw] -translate-x-1/2 overflow-hidden rounded-lg border border-line bg-raised shadow-float outline-none"
        >
          <Dialog.Title className="sr-only">Find a command</Dialog.Title>
          <Command label="Find a command" loop>
            <Command.Input
              autoFocus
              value={search}
              onValueChange={setSearch}
              placeholder="What do you want to do?"
              className="h-11 w-full border-line border-b bg-transparent px-4 text-[15px] outline-none placeholder:text-ink-3"
            />
            <Command.List className="max-h-[46vh] overflow-y-auto p-1.5">
              <Command.Empty className="p-6 text-center text-ink-2">
                No command is called that.{" "}
                <button type="button" className="underline" onClick={() => inHelp(search)}>
                  Look in the help
                </button>
              </Command.Empty>
              {COMMANDS.filter((c) => c.id !== "palette").map((command) => (
                <Command.Item
                  key={command.id}
                  value={`${command.title} ${command.id}`}
                  onSelect={() => {
                    chosen.current = () => command.run();
                    setView({ panel: null });
                  }}
                  className="flex h-8 cursor-default items-center justify-between gap-4 rounded-sm px-2.5 data-[selected=true]:bg-weft"
                >
                  <span className="truncate">{command.title}</span>
                  <kbd className="num shrink-0 text-ink-2 text-xs">{keysOf(command).map(keyText).join("  ")}</kbd>
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
