/** A browser that asks where to save it takes its time. */
const KEPT_MS = 60_000;

/** Hands a file to the browser, to be saved like any download. */
export function saveFile(name: string, content: Blob): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), KEPT_MS);
}
