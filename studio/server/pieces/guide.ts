import { readFile } from "node:fs/promises";
import path from "node:path";
import { lexer, type Token } from "marked";
import { notFound } from "../http/errors";

// The guide of docs/guide.md, for the help in the page: whoever reads the docs and whoever asks the help read the same words.

/** Words as they are written: plain, stressed, or a key or a text to type. */
export interface Words {
  readonly text: string;
  readonly as?: "code" | "em" | "strong";
}

/** What stands under one heading. */
export interface GuidePage {
  readonly id: string;
  readonly title: string;
  readonly paragraphs: readonly (readonly Words[])[];
  /** A picture of docs/screenshots, and what it shows. */
  readonly picture?: { readonly name: string; readonly shows: string };
}

const DOCS = path.join(process.env.WET_THREAD_STUDIO ?? process.cwd(), "..", "docs");
const PICTURE = /^screenshots\/([a-z0-9-]+)\.png$/;

/** Entities that the lexer made of plain characters, back again. */
const plain = (text: string): string =>
  text.replaceAll("&quot;", '"').replaceAll("&#39;", "'").replaceAll("&lt;", "<").replaceAll("&gt;", ">").replaceAll("&amp;", "&");

const wordsOf = (tokens: readonly Token[]): Words[] =>
  tokens.flatMap((t): Words[] => {
    if (t.type === "codespan") return [{ text: plain(t.text), as: "code" }];
    if (t.type === "em" || t.type === "strong") return [{ text: plain(t.text), as: t.type }];
    return "text" in t ? [{ text: plain(t.text) }] : [];
  });

/** The pages of a guide, one for each heading of the second order. Throws where something stands in it that a page can't show. */
export function guidePages(markdown: string): GuidePage[] {
  const pages: { id: string; title: string; paragraphs: Words[][]; picture?: GuidePage["picture"] }[] = [];
  for (const token of lexer(markdown)) {
    if (token.type === "heading" && token.depth === 2) {
      const id = token.text.toLowerCase().replace(/[^a-z0-9]+/g, "-");
      pages.push({ id, title: token.text, paragraphs: [] });
      continue;
    }
    const page = pages.at(-1);
    if (!page || token.type === "space") continue;
    if (token.type !== "paragraph") throw new Error(`The guide can't show what stands under "${page.title}": ${token.raw}`);
    const [only] = token.tokens ?? [];
    if (only?.type === "image") {
      const name = PICTURE.exec(only.href)?.[1];
      if (!name) throw new Error(`The guide's picture "${only.href}" lies elsewhere.`);
      page.picture = { name, shows: only.text };
    } else page.paragraphs.push(wordsOf(token.tokens ?? []));
  }
  return pages;
}

export const guide = async (): Promise<GuidePage[]> => guidePages(await readFile(path.join(DOCS, "guide.md"), "utf8"));

/** The bytes of a picture that a page of the guide shows. */
export async function guidePicture(name: string): Promise<Buffer<ArrayBuffer>> {
  const known = (await guide()).some((page) => page.picture?.name === name);
  if (!known) throw notFound("picture", name);
  return (await readFile(path.join(DOCS, "screenshots", `${name}.png`))) as Buffer<ArrayBuffer>;
}
