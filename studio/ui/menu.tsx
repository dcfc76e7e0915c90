"use client";
import clsx from "clsx";
import { Check, ChevronRight } from "lucide-react";
import { ContextMenu } from "radix-ui";
import { type ReactNode, useEffect, useState } from "react";

/** One line of a context menu: something to do, or a menu of its own; "-" parts groups. */
export type MenuItem =
  | "-"
  | { readonly label: string; readonly items: readonly MenuItem[] }
  | {
      readonly label: string;
      readonly keys?: string;
      readonly danger?: boolean;
      readonly off?: boolean;
      /** It is a switch, and this is how it stands. */
      readonly on?: boolean;
      run(): void;
    };

/** Whether more than one finger is down: two that rest on the glass are a pinch that begins, not a long press. */
function useManyFingers(): boolean {
  const [many, setMany] = useState(false);
  useEffect(() => {
    const fingers = new Set<number>();
    const count = (e: PointerEvent): void => {
      if (e.pointerType !== "touch") return;
      if (e.type === "pointerdown") fingers.add(e.pointerId);
      else fingers.delete(e.pointerId);
      setMany(fingers.size > 1);
    };
    const events = ["pointerdown", "pointerup", "pointercancel"] as const;
    for (const event of events) window.addEventListener(event, count, true);
    return () => {
      for (const event of events) window.removeEventListener(event, count, true);
    };
  }, []);
  return many;
}

/** A context menu by right click or long press; its items are asked for when it opens, with the event's place. */
export function Menu({
  items,
  children,
  onOpen,
  onOpened,
}: {
  items: () => readonly MenuItem[];
  children: ReactNode;
  /** Called with where it opens, before the items are asked for. */
  onOpen?: (target: HTMLElement, x: number, y: number) => void;
  onOpened?: () => void;
}) {
  const [list, setList] = useState<readonly MenuItem[]>([]);
  const manyFingers = useManyFingers();
  return (
    <ContextMenu.Root
      onOpenChange={(open) => {
        if (!open) return;
        onOpened?.();
        setList(items());
      }}
    >
      <ContextMenu.Trigger
        asChild
        disabled={manyFingers}
        onContextMenu={(e) => onOpen?.(e.target as HTMLElement, e.clientX, e.clientY)}
        onPointerDown={(e) => e.pointerType !== "mouse" && onOpen?.(e.target as HTMLElement, e.clientX, e.clientY)}
      >
        {children}
      </ContextMenu.Trigger>
      <ContextMenu.Portal>
        <ContextMenu.Content collisionPadding={8} className={SHEET}>
          <Items list={list} />
        </ContextMenu.Content>
      </ContextMenu.Portal>
    </ContextMenu.Root>
  );
}

const SHEET =
  "z-50 max-h-[var(--radix-context-menu-content-available-height)] min-w-[230px] overflow-y-auto rounded-lg border border-line bg-raised p-1 shadow-float outline-none";
const ROW =
  "flex h-7 cursor-default items-center justify-between gap-6 rounded-sm px-2.5 outline-none data-[highlighted]:bg-weft data-[state=open]:bg-weft data-[disabled]:opacity-45";

function Items({ list }: { list: readonly MenuItem[] }) {
  return list.map((item, i) => {
    // biome-ignore lint/suspicious/noArrayIndexKey: the list is made anew for each opening
    if (item === "-") return <ContextMenu.Separator key={i} className="my-1 h-px bg-weft" />;
    if ("items" in item)
      return (
        <ContextMenu.Sub key={item.label}>
          <ContextMenu.SubTrigger className={ROW}>
            <span>{item.label}</span>
            <ChevronRight size={13} className="text-ink-3" aria-hidden />
          </ContextMenu.SubTrigger>
          <ContextMenu.Portal>
            <ContextMenu.SubContent collisionPadding={8} className={SHEET}>
              <Items list={item.items} />
            </ContextMenu.SubContent>
          </ContextMenu.Portal>
        </ContextMenu.Sub>
      );
    const inside = (
      <>
        <span className="flex items-center gap-1.5">
          {item.label}
          {item.on && <Check size={13} aria-hidden />}
        </span>
        {item.keys && <kbd className="num text-ink-2 text-xs">{item.keys}</kbd>}
      </>
    );
    const common = { disabled: item.off, onSelect: () => item.run(), className: clsx(ROW, item.danger && "text-madder") };
    return item.on === undefined ? (
      <ContextMenu.Item key={item.label} {...common}>
        {inside}
      </ContextMenu.Item>
    ) : (
      <ContextMenu.CheckboxItem key={item.label} checked={item.on} {...common}>
        {inside}
      </ContextMenu.CheckboxItem>
    );
  });
}
