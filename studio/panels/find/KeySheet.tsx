"use client";
import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { useEffect, useRef, useState } from "react";
import type { Command } from "@/commands/command";
import { COMMANDS } from "@/commands/commands";
import { commandOf, giveKey, keysAsText, keysOf, keyText, ownKeys, pressed, readKeys, takeKeys, useKeys } from "@/commands/keys";
import { saveFile } from "@/state/media/save-file";
import { setView, useView } from "@/state/view/view";
import { toast } from "@/state/words/toast";
import { Button, Key } from "@/ui/controls";

/** Every command with its keys, each of which can be changed by pressing another; clashes are shown before anything is taken. */
export function KeySheet() {
  const open = useView((v) => v.panel === "keys");
  const changed = useKeys((s) => s.changed);
  const [search, setSearch] = useState("");
  const [asking, setAsking] = useState<string | null>(null);
  const [clash, setClash] = useState<{ id: string; key: string; had: Command } | null>(null);
  const file = useRef<HTMLInputElement>(null);
  const field = useRef<HTMLInputElement>(null);
  const list = COMMANDS.filter((c) => `${c.title} ${keysOf(c).map(keyText).join(" ")}`.toLowerCase().includes(search.toLowerCase()));
  useEffect(() => {
    if (!asking) return;
    const listen = (e: KeyboardEvent): void => {
      if (["Shift", "Control", "Alt", "Meta"].includes(e.key)) return;
      e.preventDefault();
      e.stopPropagation();
      setAsking(null);
      if (e.key === "Escape") return;
      const key = pressed(e);
      const had = commandOf(key);
      if (had && had.id !== asking) setClash({ id: asking, key, had });
      else giveKey(asking, key, true);
    };
    window.addEventListener("keydown", listen, true);
    return () => window.removeEventListener("keydown", listen, true);
  }, [asking]);
  const save = (): void => saveFile("wet thread keys.json", new Blob([keysAsText()], { type: "application/json" }));
  const load = async (chosen: File | undefined): Promise<void> => {
    if (!chosen) return;
    try {
      readKeys(await chosen.text());
      toast("The keys have been read.");
    } catch (error) {
      toast.error((error as Error).message);
    }
  };
  return (
    <Dialog.Root open={open} modal={false} onOpenChange={(on) => !on && setView({ panel: null })}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          onInteractOutside={(e) => e.preventDefault()}
          onEscapeKeyDown={(e) => asking && e.preventDefault()}
          onOpenAutoFocus={(e) => {
            e.preventDefault();
            field.current?.focus();
          }}
          className="fixed top-[64px] right-4 bottom-10 z-40 flex w-[460px] max-w-[94vw] flex-col rounded-lg border border-line bg-raised shadow-float outline-none"
        >
          <div className="flex items-center justify-between px-4 pt-3 pb-2">
            <Dialog.Title className="font-semibold text-[15px]">Keys</Dialog.Title>
            <Dialog.Close aria-label="Close" className="rounded-sm p-1 hover:bg-weft">
              <X size={15} />
            </Dialog.Close>
          </div>
          <div className="px-4 pb-2">
            <input
              ref={field}
              aria-label="Search commands and keys"
              placeholder="Search commands and keys"
              value={search}
              onChange={(e) => setSearch(e.target.value)}
              className="h-8 w-full rounded-md border border-line bg-surface px-2.5"
            />
          </div>
          {clash && (
            <div role="alert" className="mx-4 mb-2 rounded-md border border-weld bg-weld/15 p-2.5">
              <p>
                <Key>{keyText(clash.key)}</Key> is the key of <b>{clash.had.title}</b>.
              </p>
              <div className="mt-2 flex gap-2">
                <Button
                  onClick={() => {
                    giveKey(clash.id, clash.key, true);
                    setClash(null);
                  }}
                >
                  Take it from there
                </Button>
                <Button onClick={() => setClash(null)}>Leave it</Button>
              </div>
            </div>
          )}
          <ul className="min-h-0 flex-1 overflow-y-auto border-line border-t px-2 py-1" aria-label="Commands">
            {list.map((command) => (
              <li key={command.id} className="flex min-h-8 items-center gap-2 rounded-sm px-2 hover:bg-weft">
                <span className="min-w-0 flex-1 truncate">{command.title}</span>
                {asking === command.id ? (
                  <span className="rounded-sm bg-weld/25 px-1.5 text-sm">press the keys, or Escape</span>
                ) : (
                  keysOf(command).map((k) => <Key key={k}>{keyText(k)}</Key>)
                )}
                <button
                  type="button"
                  aria-label={`Change the key of ${command.title}`}
                  className="shrink-0 rounded-sm border border-line bg-raised px-1.5 text-sm hover:border-ink-3"
                  onClick={() => {
                    setClash(null);
                    setAsking(command.id);
                  }}
                >
                  Change
                </button>
                {changed[command.id] ? (
                  <button type="button" className="shrink-0 rounded-sm px-1 text-ink-2 text-sm hover:text-ink" onClick={() => ownKeys(command.id)}>
                    Reset
                  </button>
                ) : (
                  <button
                    type="button"
                    disabled={command.keys.length === 0}
                    aria-label={`Take the keys off ${command.title}`}
                    className="shrink-0 rounded-sm px-1 text-ink-3 hover:text-ink disabled:invisible"
                    onClick={() => takeKeys(command.id)}
                  >
                    ×
                  </button>
                )}
              </li>
            ))}
          </ul>
          <div className="flex gap-2 border-line border-t px-4 py-2.5">
            <Button onClick={save}>Save as file</Button>
            <Button onClick={() => file.current?.click()}>Read a file</Button>
            <Button className="ml-auto" disabled={Object.keys(changed).length === 0} onClick={() => ownKeys()}>
              All as they were
            </Button>
            <input
              ref={file}
              type="file"
              accept="application/json"
              className="hidden"
              aria-label="Set of keys"
              onChange={(e) => {
                void load(e.target.files?.[0]);
                e.target.value = "";
              }}
            />
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
