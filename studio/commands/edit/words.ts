/** A number as it is read: with a minus in place of a hyphen. */
export const minus = (text: string): string => text.replace("-", "−");
