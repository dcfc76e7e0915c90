"use client";
import { Command as List } from "cmdk";
import { ArrowLeft, X } from "lucide-react";
import { Fragment, type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Command } from "@/commands/command";
import { COMMANDS } from "@/commands/commands";
import { commandOf, keysOf, keyText, pressed } from "@/commands/keys";
import { setView, useView } from "@/state/view/view";
import { excerpt, fetchGuide, finder, type GuidePage, openHelp, textOf, useGuide, type Words } from "@/state/words/help";
import { Button, Key } from "@/ui/controls";

/** Commands that are found at most: who looks for more of them has the list of keys. */
const MOST_COMMANDS = 12;
/** Time after opening in which the page has better to do than to fetch the guide. */
const LATER_MS = 4000;

const close = (): void => setView({ help: null });

/** How something is done: the guide of the docs and every command, found by typing. It is no dialog: keys and pointer go on working on the piece. */
export function Help() {
  const help = useView((v) => v.help);
  // Fetched ahead, so that it is there when the server is not.
  useEffect(() => {
    const timer = setTimeout(() => void fetchGuide(), LATER_MS);
    return () => clearTimeout(timer);
  }, []);
  if (!help) return null;
  const onKeyDown = (e: KeyboardEvent): void => {
    // Its own key closes it from within its field too.
    if (e.key !== "Escape" && commandOf(pressed(e.nativeEvent))?.id !== "help") return;
    e.preventDefault();
    e.stopPropagation();
    close();
  };
  return (
    <aside
      aria-label="Help"
      className="fixed top-[64px] right-4 bottom-10 z-30 flex w-[400px] max-w-[94vw] flex-col rounded-lg border border-line bg-raised shadow-float outline-none"
      onKeyDown={onKeyDown}
    >
      <div className="flex items-center justify-between px-4 pt-3 pb-2">
        <h1 className="font-semibold text-[15px]">Help</h1>
        <button type="button" aria-label="Close" className="rounded-sm p-1 hover:bg-weft" onClick={close}>
          <X size={15} />
        </button>
      </div>
      <Inside page={help.page} search={help.search} />
    </aside>
  );
}

function Inside({ page: id, search }: { page: string | null; search: string }) {
  const { pages, wrong } = useGuide();
  if (!pages)
    return (
      <div className="px-4 py-2 text-ink-2">
        {wrong ? (
          <>
            <p>The guide could not be fetched: {wrong} Commands are still found by their own list.</p>
            <div className="mt-2 flex gap-2">
              <Button onClick={() => openHelp({ page: id, search })}>Try again</Button>
              <Button onClick={() => setView({ help: null, panel: "palette" })}>Find a command</Button>
            </div>
          </>
        ) : (
          "Fetching the guide …"
        )}
      </div>
    );
  const page = pages.find((p) => p.id === id);
  return page ? <Page page={page} pages={pages} search={search} /> : <Found pages={pages} search={search} />;
}

/** A command that is found for its title, its keys and its id. */
const findableOf = (c: Command) => ({
  id: `command ${c.id}`,
  title: c.title,
  text: `${keysOf(c).map(keyText).join(" ")} ${c.id.replaceAll("-", " ")}`,
});

const ITEM = "cursor-default rounded-sm px-2.5 py-1.5 data-[selected=true]:bg-weft";

function Found({ pages, search }: { pages: readonly GuidePage[]; search: string }) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  const find = useMemo(
    () => finder([...pages.map((p) => ({ id: `page ${p.id}`, title: p.title, text: textOf(p) })), ...COMMANDS.map(findableOf)]),
    [pages],
  );
  const found = useMemo(() => (search.trim() ? find(search) : []), [find, search]);
  const shown = search.trim()
    ? found.flatMap(({ id, terms }) => pages.filter((p) => id === `page ${p.id}`).map((page) => ({ page, terms })))
    : pages.map((page) => ({ page, terms: [] as readonly string[] }));
  const commands = found.flatMap(({ id }) => COMMANDS.filter((c) => id === `command ${c.id}`)).slice(0, MOST_COMMANDS);
  return (
    <List label="Search the help" shouldFilter={false} loop className="flex min-h-0 flex-1 flex-col">
      <div className="px-4 pb-2">
        <List.Input
          ref={field}
          placeholder="How do I …"
          value={search}
          onValueChange={(text) => openHelp({ search: text })}
          className="h-8 w-full rounded-md border border-line bg-surface px-2.5"
        />
      </div>
      <List.List className="min-h-0 flex-1 overflow-y-auto border-line border-t p-1.5 [&_[cmdk-group-heading]]:px-2.5 [&_[cmdk-group-heading]]:pt-1.5 [&_[cmdk-group-heading]]:text-ink-3 [&_[cmdk-group-heading]]:text-sm">
        {search.trim() && found.length === 0 && (
          <p className="px-2.5 py-4 text-ink-2">
            Nothing is said of “{search.trim()}”. Try one word of it, or{" "}
            <button className="underline" type="button" onClick={() => openHelp()}>
              see the contents
            </button>
            .
          </p>
        )}
        {shown.length > 0 && (
          <List.Group heading="Guide">
            {shown.map(({ page, terms }) => (
              <List.Item key={page.id} value={`page ${page.id}`} onSelect={() => openHelp({ page: page.id, search })} className={ITEM}>
                <span className="block">{page.title}</span>
                {terms.length > 0 && (
                  <span className="block text-ink-2 text-sm">
                    <Marked text={excerpt(textOf(page), terms)} terms={terms} />
                  </span>
                )}
              </List.Item>
            ))}
          </List.Group>
        )}
        {commands.length > 0 && (
          <List.Group heading="Commands: Enter does them">
            {commands.map((c) => (
              <List.Item
                key={c.id}
                value={`command ${c.id}`}
                onSelect={() => {
                  // Done as its key would do it, with the focus out of the field.
                  field.current?.blur();
                  c.run();
                }}
                className={`${ITEM} flex items-center justify-between gap-4`}
              >
                <span>{c.title}</span>
                <span className="flex shrink-0 gap-1">
                  {keysOf(c).map((k) => (
                    <Key key={k}>{keyText(k)}</Key>
                  ))}
                </span>
              </List.Item>
            ))}
          </List.Group>
        )}
      </List.List>
    </List>
  );
}

/** A text with some words in it marked. */
function Marked({ text, terms }: { text: string; terms: readonly string[] }) {
  const words = new RegExp(`(${terms.map((t) => t.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")).join("|")})`, "gi");
  return text.split(words).map((part, i) =>
    i % 2 ? (
      // biome-ignore lint/suspicious/noArrayIndexKey: parts of one text, in their order
      <mark key={i} className="rounded-xs bg-weld/30 text-ink">
        {part}
      </mark>
    ) : (
      part
    ),
  );
}

function Page({ page, pages, search }: { page: GuidePage; pages: readonly GuidePage[]; search: string }) {
  const top = useRef<HTMLHeadingElement>(null);
  const [broken, setBroken] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each page begins at its head
  useEffect(() => {
    top.current?.focus();
    top.current?.scrollIntoView({ block: "end" });
    setBroken(false);
  }, [page]);
  const at = pages.indexOf(page);
  const next = pages[at + 1];
  const file = `/api/help/pictures/${page.picture?.name}`;
  return (
    <>
      <div className="border-line border-b px-3 pb-2">
        <button
          type="button"
          className="flex items-center gap-1.5 rounded-sm px-1 py-0.5 text-ink-2 hover:bg-weft"
          onClick={() => openHelp({ search })}
        >
          <ArrowLeft size={14} /> {search.trim() ? `What was found for “${search.trim()}”` : "Contents"}
        </button>
      </div>
      <article className="min-h-0 flex-1 overflow-y-auto px-4 py-3">
        <h2 ref={top} tabIndex={-1} className="font-semibold text-[17px] outline-none">
          {page.title}
        </h2>
        {page.paragraphs.map((words, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: paragraphs of one page, in their order
          <p key={i} className="mt-2.5 leading-[1.55]">
            <Paragraph words={words} />
          </p>
        ))}
        {page.picture && !broken && (
          <a href={file} target="_blank" rel="noreferrer" title="Open the picture at its full size" className="mt-3.5 block">
            {/* biome-ignore lint/performance/noImgElement: a picture of the docs, served as it is */}
            <img src={file} alt={page.picture.shows} className="w-full rounded-md border border-line" onError={() => setBroken(true)} />
            <span className="mt-1 block text-ink-2 text-sm">{page.picture.shows}</span>
          </a>
        )}
        {page.picture && broken && <p className="mt-3.5 text-ink-3 text-sm">A picture of this can't be fetched now: {page.picture.shows}.</p>}
        {next && (
          <Button className="mt-4 mb-1" onClick={() => openHelp({ page: next.id, search })}>
            Next: {next.title}
          </Button>
        )}
      </article>
    </>
  );
}

/** How the docs write a key, as commands have it. */
const asKey = (text: string): string =>
  text.replace("Ctrl", "Mod").replace("←", "ArrowLeft").replace("→", "ArrowRight").replace("↑", "ArrowUp").replace("↓", "ArrowDown");

function Paragraph({ words }: { words: readonly Words[] }) {
  return words.map(({ text, as }, i) => {
    const key = `${i}`;
    if (as === "em") return <em key={key}>{text}</em>;
    if (as === "strong") return <b key={key}>{text}</b>;
    if (as !== "code") return <Fragment key={key}>{text}</Fragment>;
    // A key that was changed is shown as it is now.
    const command = COMMANDS.find((c) => c.keys.includes(asKey(text)));
    const [now] = command ? keysOf(command) : [];
    return <Key key={key}>{command ? (now ? keyText(now) : "no key") : text}</Key>;
  });
}
