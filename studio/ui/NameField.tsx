"use client";
import { type CSSProperties, useRef } from "react";

/**
 * A name, typed where it stands: Enter or leaving the field takes it, Escape leaves it as it was. `onDone` gets the new name, or null where nothing
 * was changed. No key reaches anything else meanwhile.
 */
export function NameField({
  label,
  value,
  onDone,
  className,
  style,
  size,
}: {
  label: string;
  value: string;
  onDone: (name: string | null) => void;
  className: string;
  style?: CSSProperties;
  size?: number;
}) {
  const left = useRef(false);
  return (
    <input
      // biome-ignore lint/a11y/noAutofocus: it was asked for
      autoFocus
      aria-label={label}
      className={className}
      style={style}
      size={size}
      defaultValue={value}
      maxLength={200}
      onFocus={(e) => {
        left.current = false;
        e.target.select();
      }}
      onBlur={(e) => {
        const name = e.target.value.trim();
        onDone(left.current || name === value ? null : name);
      }}
      onKeyDown={(e) => {
        e.stopPropagation();
        left.current = e.key === "Escape";
        if (e.key === "Enter" || e.key === "Escape") e.currentTarget.blur();
      }}
    />
  );
}
