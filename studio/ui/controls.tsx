"use client";
import { DYES, type Dye } from "@wet-thread/core/model/schema";
import clsx from "clsx";
import { Popover as RadixPopover, Slider as RadixSlider, Tooltip } from "radix-ui";
import { type ButtonHTMLAttributes, type ReactNode, useEffect, useRef, useState } from "react";
import { Radios } from "./radios";

/** A tip that names a control and its key. */
export function Tip({
  text,
  keys,
  side = "bottom",
  children,
}: {
  text: string;
  keys?: string;
  side?: "bottom" | "right" | "top";
  children: ReactNode;
}) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          side={side}
          sideOffset={6}
          className="z-50 flex items-center gap-2 rounded-md bg-ink px-2.5 py-1.5 text-raised text-sm shadow-float"
        >
          {text}
          {keys && <kbd className="num rounded-sm bg-raised/15 px-1.5 py-0.5 text-xs">{keys}</kbd>}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

export function Key({ children }: { children: ReactNode }) {
  return <kbd className="num rounded-sm border border-line bg-raised px-1.5 py-px font-semibold text-ink text-xs">{children}</kbd>;
}

type Look = "plain" | "main" | "quiet";
const looks: Record<Look, string> = {
  plain: "border border-line bg-raised hover:border-ink-3",
  main: "bg-indigo font-semibold text-raised hover:opacity-90 vat:text-ground",
  quiet: "hover:bg-weft",
};

export function Button({ look = "plain", className, ...rest }: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      className={clsx("inline-flex h-8 items-center justify-center gap-2 rounded-md px-3 font-medium disabled:opacity-45", looks[look], className)}
      {...rest}
    />
  );
}

export function IconButton({
  label,
  keys,
  on,
  side,
  className,
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { label: string; keys?: string; on?: boolean; side?: "bottom" | "right" | "top" }) {
  return (
    <Tip text={label} keys={keys} side={side}>
      <button
        type="button"
        aria-label={label}
        aria-pressed={on}
        className={clsx(
          "grid size-8 place-items-center rounded-md disabled:opacity-40",
          on ? "bg-ink text-raised" : "text-ink-2 hover:bg-weft hover:text-ink",
          className,
        )}
        {...rest}
      >
        {children}
      </button>
    </Tip>
  );
}

/** A row of choices of which one is on. */
export function Segments<T extends string>({
  value,
  options,
  onChange,
  label,
}: {
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
  label: string;
}) {
  return (
    <Radios
      label={label}
      className="flex overflow-hidden rounded-md border border-line"
      value={value}
      onChange={onChange}
      options={options.map(([id, text]) => ({
        id,
        className: clsx(
          "h-7 flex-1 whitespace-nowrap border-line px-1.5 [&+button]:border-l",
          value === id ? "bg-ink font-semibold text-raised" : "bg-raised text-ink-2 hover:bg-weft",
        ),
        children: text,
      }))}
    />
  );
}

/**
 * A field for text or a number that takes effect on Enter or on leaving it; Escape puts the old value back. Where `onCommit` answers false
 * what was typed was refused: after Enter one goes on typing.
 */
export function Field({
  value,
  onCommit,
  unit,
  label,
  className,
  numeric = true,
}: {
  value: string;
  onCommit: (text: string) => unknown;
  unit?: string;
  label: string;
  className?: string;
  numeric?: boolean;
}) {
  const [text, setText] = useState<string | null>(null);
  const left = useRef(false);
  const input = useRef<HTMLInputElement>(null);
  const commit = (): boolean => {
    const taken = text === null || text === value || onCommit(text) !== false;
    setText(null);
    return taken;
  };
  return (
    <label className={clsx("flex h-8 items-center rounded-md border border-line bg-raised px-2.5 focus-within:border-ink-2", className)}>
      <input
        ref={input}
        aria-label={label}
        className={clsx("w-full min-w-0 bg-transparent outline-none", numeric && "num")}
        value={text ?? value}
        onFocus={(e) => {
          left.current = false;
          e.target.select();
        }}
        onChange={(e) => setText(e.target.value)}
        onBlur={() => !left.current && commit()}
        onKeyDown={(e) => {
          if (e.key === "Enter") {
            // Keys stay with the panel that the field is in.
            const panel = e.currentTarget.closest<HTMLElement>("[role=dialog]");
            if (!commit()) return void requestAnimationFrame(() => input.current?.select());
            left.current = true;
            e.currentTarget.blur();
            panel?.focus({ preventScroll: true });
          }
          if (e.key === "Escape") {
            left.current = true;
            setText(null);
            e.currentTarget.blur();
          }
        }}
      />
      {unit && <span className="ml-1 shrink-0 text-ink-3 text-sm">{unit}</span>}
    </label>
  );
}

export function Slider({
  value,
  min,
  max,
  step,
  onChange,
  onCommit,
  label,
  className,
}: {
  value: number;
  min: number;
  max: number;
  step: number;
  onChange?: (v: number) => void;
  onCommit: (v: number) => void;
  label: string;
  className?: string;
}) {
  const [live, setLive] = useState<number | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new value from outside ends what the hand was doing
  useEffect(() => setLive(null), [value]);
  return (
    <RadixSlider.Root
      className={clsx("relative flex h-5 touch-none select-none items-center", className)}
      value={[live ?? value]}
      min={min}
      max={max}
      step={step}
      onValueChange={([v]) => {
        setLive(v);
        onChange?.(v);
      }}
      onValueCommit={([v]) => onCommit(v)}
    >
      <RadixSlider.Track className="relative h-1 grow rounded-full bg-weft">
        <RadixSlider.Range className="absolute h-full rounded-full bg-ink-3" />
      </RadixSlider.Track>
      <RadixSlider.Thumb aria-label={label} className="block h-3.5 w-1.5 rounded-[2px] bg-ink" />
    </RadixSlider.Root>
  );
}

export function Popover({
  trigger,
  children,
  width = 392,
  align = "start",
  open,
  onOpenChange,
}: {
  /** Where others open it too. */
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
  trigger: ReactNode;
  children: ReactNode;
  width?: number;
  align?: "start" | "center" | "end";
}) {
  return (
    <RadixPopover.Root open={open} onOpenChange={onOpenChange}>
      <RadixPopover.Trigger asChild>{trigger}</RadixPopover.Trigger>
      <RadixPopover.Portal>
        <RadixPopover.Content
          align={align}
          sideOffset={7}
          collisionPadding={8}
          className="z-40 rounded-lg border border-line bg-raised p-3 shadow-float outline-none"
          style={{ width }}
        >
          {children}
        </RadixPopover.Content>
      </RadixPopover.Portal>
    </RadixPopover.Root>
  );
}

/** A choice drawn as a small picture with its name under it. */
export function Picture({
  on,
  label,
  onClick,
  children,
  keys,
}: {
  on: boolean;
  label: string;
  onClick: () => void;
  children: ReactNode;
  keys?: string;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={clsx(
        "rounded-md border px-2.5 pt-2 pb-1.5 text-left",
        on ? "border-ink bg-raised ring-1 ring-ink" : "border-line bg-surface hover:border-ink-3",
      )}
    >
      <svg viewBox="0 0 96 28" className="h-8 w-full" aria-hidden>
        {children}
      </svg>
      <span className="mt-1 flex items-center justify-between font-semibold text-sm">
        {label}
        {keys && <Key>{keys}</Key>}
      </span>
    </button>
  );
}

/** The dyes to choose from; none is on where `value` is null. */
export function Swatches({ value, onChange }: { value: Dye | null; onChange: (dye: Dye) => void }) {
  return (
    <Radios
      label="Colour"
      className="flex gap-1.5"
      value={value}
      onChange={onChange}
      options={DYES.map((dye) => ({
        id: dye,
        label: dye,
        title: dye,
        className: "size-5 rounded-full border-2 border-transparent aria-checked:border-ink",
        style: { background: `var(--${dye})` },
      }))}
    />
  );
}
