import { Search } from "lucide-react";

/** A field that narrows a list as one types. */
export function SearchField({ label, value, onChange }: { label: string; value: string; onChange: (words: string) => void }) {
  return (
    <label className="flex h-8 items-center gap-2 rounded-md border border-line bg-raised px-2.5 focus-within:border-ink-2">
      <Search size={14} className="text-ink-3" aria-hidden />
      <input
        type="search"
        aria-label={label}
        placeholder={label}
        className="w-full bg-transparent outline-none placeholder:text-ink-3"
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </label>
  );
}
