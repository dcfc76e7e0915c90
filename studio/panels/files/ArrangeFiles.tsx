"use client";
import { Dialog } from "radix-ui";
import { type Arrangement, importFiles, useArranging } from "@/commands/files/import-files";
import { toast } from "@/state/words/toast";
import { Button } from "@/ui/controls";

const WAYS: readonly (readonly [Arrangement, string, string])[] = [
  ["row", "One after another", "on one track, in the order of their names"],
  ["stack", "One below another", "each on a track of its own, all from the same place"],
  ["own", "At their own times", "each on a track of its own, where its file says that it was recorded; the others at the place"],
];

/** Asks how several files are to be laid. */
export function ArrangeFiles() {
  const { files, at } = useArranging();
  const close = (): void => useArranging.setState({ files: [], at: null });
  // A press beside the question is easily made: what was chosen, perhaps out of many folders, is not gone with it.
  const leave = (): void => {
    close();
    toast(`${files.length} files were left out: nothing was taken in.`, {
      id: "arranging",
      duration: 12_000,
      action: { label: "Ask again", onClick: () => useArranging.setState({ files, at }) },
    });
  };
  const lay = (way: Arrangement): void => {
    close();
    const sorted = [...files].sort((a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }));
    if (at) void importFiles(sorted, at, way);
  };
  return (
    <Dialog.Root open={at !== null} onOpenChange={(open) => !open && leave()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 w-[min(420px,calc(100vw-24px))] -translate-x-1/2 -translate-y-1/2 rounded-lg border border-line bg-raised p-4 shadow-float outline-none"
        >
          <Dialog.Title className="font-semibold text-lg">{files.length} recordings</Dialog.Title>
          <div className="mt-3 space-y-2">
            {WAYS.map(([way, name, words]) => (
              <button
                key={way}
                type="button"
                className="block w-full rounded-md border border-line p-2.5 text-left hover:border-ink-3"
                onClick={() => lay(way)}
              >
                <span className="font-medium">{name}</span>
                <span className="block text-ink-2 text-sm">{words}</span>
              </button>
            ))}
          </div>
          <Button className="mt-3 w-full" onClick={leave}>
            Cancel
          </Button>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
