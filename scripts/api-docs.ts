// Writes the list of edits into docs/api.md from the code: `npx tsx scripts/api-docs.ts`.
import fs from "node:fs";
import path from "node:path";
import { editSchemas } from "@wet-thread/core/edit/registry";

interface Schema {
  type?: string | string[];
  const?: unknown;
  enum?: unknown[];
  anyOf?: Schema[];
  items?: Schema;
  default?: unknown;
  description?: string;
  properties?: Record<string, Schema>;
  required?: string[];
}

function kind(s: Schema): string {
  if (s.const !== undefined) return JSON.stringify(s.const);
  if (s.enum) return s.enum.map((v) => JSON.stringify(v)).join(" or ");
  if (s.anyOf) return s.anyOf.map(kind).join(" or ");
  if (s.type === "array") return `list of ${s.items ? kind(s.items) : "values"}`;
  if (s.type === "object" && s.properties) return `{${Object.keys(s.properties).join(", ")}}`;
  return String(s.type ?? "value");
}

const COMMON = ["type", "edgeFade", "edgeBlend", "key", "links", "inside"];

/** The section on edits of docs/api.md. */
export function editDocs(): string {
  return editSchemas()
    .map(({ type, about, law, example, schema }) => {
      const { properties = {}, required = [] } = schema as Schema;
      const rows = Object.entries(properties)
        .filter(([name]) => !COMMON.includes(name))
        .map(
          ([name, s]) =>
            `| \`${name}\` | ${kind(s).replaceAll("|", "\\|")} | ${required.includes(name) ? "yes" : s.default !== undefined ? `\`${JSON.stringify(s.default)}\`` : "no"} | ${s.description ?? ""} |`,
        );
      return `### ${type}\n\n${about}\n\n*${law}*\n\n| parameter | kind | needed, or default | |\n|---|---|---|---|\n${rows.join("\n")}\n\n\`\`\`json\n${JSON.stringify(example)}\n\`\`\`\n`;
    })
    .join("\n");
}

if (process.argv[1] === import.meta.filename) {
  const file = path.join(import.meta.dirname, "..", "docs", "api.md");
  const page = fs.readFileSync(file, "utf8");
  const [head] = page.split("<!-- edits -->");
  fs.writeFileSync(file, `${head}<!-- edits -->\n\n${editDocs()}`);
}
