import { ArrowRight } from "lucide-react";
import Link from "next/link";
import { useEffect, useRef, useState } from "react";
import { SearchField } from "@/ui/SearchField";

export interface ProjectSummary {
  readonly id: string;
  readonly name: string;
  readonly sampleRate: number;
  readonly sources: number;
  readonly versions: number;
  readonly tracks: number;
  /** Colours of the first version's tracks. */
  readonly dyes: readonly string[];
  readonly changedAt: string;
}

const WHEN = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", hour: "2-digit", minute: "2-digit" });
const some = (n: number, word: string): string => `${n} ${word}${n === 1 ? "" : "s"}`;

/** So many are drawn at first, and as many more each time that the end of them comes into view. */
const PAGE = 40;
/** Fewer than these are found by looking. */
const FEW = 12;

/** Projects, the one that was changed last first; where there are many, found by name. */
export function ProjectList({ rows }: { rows: readonly ProjectSummary[] }) {
  const [words, setWords] = useState("");
  const [drawn, setDrawn] = useState(PAGE);
  const found = rows.filter((p) => p.name.toLowerCase().includes(words.trim().toLowerCase()));
  const end = useRef<HTMLDivElement>(null);
  const more = drawn < found.length;
  // Watched anew after each page: an end that stays in view draws the next one too.
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  useEffect(() => {
    if (!more || !end.current) return;
    const seen = new IntersectionObserver(([entry]) => entry.isIntersecting && setDrawn((n) => n + PAGE), { rootMargin: "600px" });
    seen.observe(end.current);
    return () => seen.disconnect();
  }, [more, drawn]);
  return (
    <>
      {rows.length > FEW && (
        <div className="mt-4">
          <SearchField
            label="Find a project"
            value={words}
            onChange={(typed) => {
              setWords(typed);
              setDrawn(PAGE);
            }}
          />
        </div>
      )}
      {rows.length > 0 && found.length === 0 && <p className="mt-4 text-ink-2">No project has “{words.trim()}” in its name.</p>}
      <ul className="mt-4 space-y-3">
        {found.slice(0, drawn).map((p) => (
          <li key={p.id}>
            <Link href={`/p/${p.id}`} prefetch={false} className="group block rounded-lg border border-line bg-raised p-4 hover:border-ink-3">
              <span className="flex items-center gap-2">
                <span className="truncate font-semibold text-lg" title={p.name}>
                  {p.name}
                </span>
                <ArrowRight size={16} className="flex-none text-ink-3 opacity-0 group-hover:opacity-100" aria-hidden />
                <span className="ml-auto flex-none text-ink-3 text-sm">changed {WHEN.format(new Date(p.changedAt))}</span>
              </span>
              {p.dyes.length > 0 && (
                <span className="mt-3 flex h-2 overflow-hidden rounded-full" aria-hidden>
                  {p.dyes.map((dye, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: tracks may share a dye
                    <span key={`${dye} ${i}`} className="mr-1 flex-1 opacity-70 last:mr-0" style={{ background: `var(--${dye})` }} />
                  ))}
                </span>
              )}
              <span className="num mt-3 block text-ink-2 text-sm">
                {some(p.tracks, "track")} · {some(p.sources, "recording")} · {some(p.versions, "version")} · {p.sampleRate / 1000} kHz
              </span>
            </Link>
          </li>
        ))}
      </ul>
      <div ref={end} />
    </>
  );
}
