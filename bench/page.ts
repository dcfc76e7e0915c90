import type { Row } from "./rows";
export async function pageRows(): Promise<Row[]> {
  return [];
}
