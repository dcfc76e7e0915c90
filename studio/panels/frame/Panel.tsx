"use client";
import clsx from "clsx";
import { X } from "lucide-react";
import { Dialog } from "radix-ui";
import { type ComponentProps, type ReactNode, useEffect, useRef } from "react";

/** A form over the lanes that leaves them in reach: Escape closes it, a press elsewhere does not. */
export function FloatingForm({ label, onClose, children, ...form }: ComponentProps<"form"> & { label: string; onClose: () => void }) {
  return (
    <Dialog.Root open modal={false} onOpenChange={(open) => !open && onClose()}>
      <Dialog.Content
        asChild
        aria-label={label}
        aria-describedby={undefined}
        onInteractOutside={(e) => e.preventDefault()}
        onOpenAutoFocus={(e) => e.preventDefault()}
        onCloseAutoFocus={(e) => e.preventDefault()}
      >
        <form {...form}>
          <Dialog.Title className="sr-only">{label}</Dialog.Title>
          {children}
        </form>
      </Dialog.Content>
    </Dialog.Root>
  );
}

/** A small panel over the lanes; Escape closes it, Enter does what it is for. */
export function Panel({
  title,
  low = false,
  onClose,
  onConfirm,
  children,
}: {
  title: string;
  /** At the foot of the lanes, where what it is about lies at their head. */
  low?: boolean;
  onClose: () => void;
  onConfirm: () => void;
  children: ReactNode;
}) {
  const box = useRef<HTMLFormElement>(null);
  const latest = useRef(onConfirm);
  latest.current = onConfirm;
  useEffect(() => {
    // What is not shown (the field behind a slider) takes no focus.
    const first = box.current?.querySelector<HTMLElement>("[data-first-field]");
    if (first) return first.focus();
    const fields = [...(box.current?.querySelectorAll<HTMLElement>("[aria-checked=true], input") ?? [])];
    fields.find((f) => f.offsetParent !== null)?.focus();
  }, []);
  // A field that is being typed in takes its value first; what is done then is what it said.
  const confirm = (): void => {
    (document.activeElement as HTMLElement | null)?.blur();
    setTimeout(() => latest.current());
  };
  return (
    <FloatingForm
      ref={box}
      label={title}
      onClose={onClose}
      className={clsx(
        "absolute left-1/2 z-20 w-[380px] -translate-x-1/2 rounded-lg border border-line bg-raised p-3 shadow-float",
        low ? "bottom-3" : "top-3",
      )}
      onSubmit={(e) => {
        e.preventDefault();
        confirm();
      }}
      onKeyDownCapture={(e) => {
        // A field in it may have an Enter of its own.
        if (e.key !== "Enter" || e.target instanceof HTMLButtonElement || (e.target as HTMLElement).dataset.ownEnter !== undefined) return;
        e.preventDefault();
        e.stopPropagation();
        confirm();
      }}
    >
      <div className="mb-2 flex items-center justify-between">
        <h2 className="font-semibold">{title}</h2>
        <button type="button" aria-label="Close" className="rounded-sm p-0.5 hover:bg-weft" onClick={onClose}>
          <X size={15} />
        </button>
      </div>
      {children}
    </FloatingForm>
  );
}
