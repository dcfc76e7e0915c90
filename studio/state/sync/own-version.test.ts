import fs from "node:fs";
import path from "node:path";
import ts from "typescript";
import { describe, expect, it } from "vitest";

// After a wait another version may be open: what was begun in one goes on in that one. So whoever waits takes hold of its version first
// (`const own = session()`, or `inVersion`), and asks no more which one is open.

const ROOT = path.resolve(import.meta.dirname, "..", "..");

function* sources(folder: string): Generator<string> {
  for (const entry of fs.readdirSync(folder, { withFileTypes: true })) {
    const file = path.join(folder, entry.name);
    if (entry.name.startsWith(".") || ["node_modules", "public", "server"].includes(entry.name)) continue;
    if (entry.isDirectory()) yield* sources(file);
    else if (/\.tsx?$/.test(entry.name) && !/\.test\./.test(entry.name)) yield file;
  }
}

/** Lines of a text in which a function asks for the open version after it has waited. */
function askedAfterWaiting(text: string, name = "a.tsx"): number[] {
  const source = ts.createSourceFile(name, text, ts.ScriptTarget.Latest, true);
  const lines: number[] = [];
  const look = (node: ts.Node, within: { waited: boolean }): void => {
    const inside = ts.isFunctionLike(node) ? { waited: false } : within;
    const asks = ts.isCallExpression(node) && ts.isIdentifier(node.expression) && node.expression.text === "session";
    if (asks && inside.waited) lines.push(source.getLineAndCharacterOfPosition(node.getStart()).line + 1);
    ts.forEachChild(node, (child) => look(child, inside));
    // What is awaited is asked before the wait.
    if (ts.isAwaitExpression(node) || (ts.isForOfStatement(node) && node.awaitModifier)) inside.waited = true;
  };
  look(source, { waited: false });
  return lines;
}

describe("work that waits", () => {
  it("is told apart from work that does not", () => {
    const text = `async function f() { const own = session(); await own.settled();
      session().edit([]); }
      const g = async () => { await session().settled(); later(() => session()); };
      function h() { return session(); }`;
    expect(askedAfterWaiting(text)).toEqual([2]);
  });
  it("goes on in the version in which it was begun", () => {
    const found = [...sources(ROOT)].flatMap((file) => {
      const text = fs.readFileSync(file, "utf8");
      return text.includes("session()") ? askedAfterWaiting(text, file).map((line) => `${path.relative(ROOT, file)}:${line}`) : [];
    });
    expect(found).toEqual([]);
  }, 60_000);
});
