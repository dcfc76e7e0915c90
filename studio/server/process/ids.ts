import { randomBytes } from "node:crypto";

/** A random id of 16 small letters and digits: 82 bits. */
export function newId(): string {
  const letters = "0123456789abcdefghijklmnopqrstuvwxyz";
  return [...randomBytes(16)].map((b) => letters[b % 36]).join("");
}
