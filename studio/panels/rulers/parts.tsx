import { timebaseOf } from "@wet-thread/core/model/document";
import { parsePosition } from "@wet-thread/core/time/format";
import { Popover } from "radix-ui";
import type { ReactNode } from "react";
import { session } from "@/state/sync/session";
import { useView } from "@/state/view/view";
import { toast } from "@/state/words/toast";

/** Samples to pixels, followed while the view moves. */
export function useScale(): { px: (sample: number) => number; width: number } {
  const start = useView((v) => v.start);
  const per = useView((v) => v.samplesPerPixel);
  const width = useView((v) => v.width);
  return { px: (sample) => (sample - start) / per, width };
}

export function Row({ top, height, label, children }: { top: number; height: number; label: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: a strip of marks, no form
    <div role="group" aria-label={label} className="absolute inset-x-0" style={{ top, height }}>
      {children}
    </div>
  );
}

/** What opens at a mark: its name, its place, what can be done with it. */
export function MarkPanel({ open, onClose, at, children }: { open: boolean; onClose: () => void; at: ReactNode; children: ReactNode }) {
  return (
    <Popover.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Popover.Anchor asChild>{at}</Popover.Anchor>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          collisionPadding={8}
          onKeyDown={(e) => {
            // What was typed has been taken by its field; where it was refused one is still in it.
            if (e.key === "Enter" && e.target instanceof HTMLInputElement && document.activeElement !== e.target) onClose();
          }}
          className="z-40 w-[264px] space-y-2.5 rounded-lg border border-line bg-raised p-3 shadow-float outline-none"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** A position typed in any unit; false, having said why, where it was not understood. */
export function typed(text: string, from: number, then: (position: number) => void): boolean {
  try {
    then(parsePosition(text, "bars", timebaseOf(session().doc), from));
    return true;
  } catch (error) {
    toast.error((error as Error).message);
    return false;
  }
}
