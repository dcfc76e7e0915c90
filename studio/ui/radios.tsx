import { RadioGroup } from "radix-ui";
import type { CSSProperties, ReactNode } from "react";

/** One of several: a radio group that arrow keys walk. What each looks like is the caller's. */
export function Radios<T extends string>({
  label,
  value,
  onChange,
  options,
  className,
}: {
  label: string;
  value: T | null;
  onChange: (value: T) => void;
  options: readonly { id: T; label?: string; title?: string; className?: string; style?: CSSProperties; children?: ReactNode }[];
  className?: string;
}) {
  return (
    <RadioGroup.Root aria-label={label} className={className} value={value} onValueChange={(v) => onChange(v as T)}>
      {options.map(({ id, label: name, title, children, ...look }) => (
        <RadioGroup.Item key={id} value={id} aria-label={name} title={title} {...look}>
          {children}
        </RadioGroup.Item>
      ))}
    </RadioGroup.Root>
  );
}
