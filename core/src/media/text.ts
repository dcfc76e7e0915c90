/** The bytes of a text in UTF-8, each as one letter of Latin-1: how texts are put into files that know no other. */
export function asBytes(text: string): string {
  return encodeURIComponent(text.toWellFormed()).replace(/%([0-9A-F]{2})/g, (_, hex: string) => String.fromCharCode(Number.parseInt(hex, 16)));
}

/** Such a text read again; what is no UTF-8 is taken as Latin-1. */
export function fromBytes(bytes: string): string {
  try {
    return decodeURIComponent([...bytes].map((c) => `%${(c.charCodeAt(0) & 255).toString(16).padStart(2, "0")}`).join(""));
  } catch {
    return bytes;
  }
}
