/** Pixels from one place to the next of a stroke: less than the least that can be hit. */
const STEP = 2;

/** Places along the straight way from one place to another, its end among them: a quick hand gives few, and means all that lies between. */
export function* alongStroke(
  from: { readonly x: number; readonly y: number },
  to: { readonly x: number; readonly y: number },
): Generator<{ x: number; y: number }> {
  const steps = Math.max(1, Math.ceil(Math.hypot(to.x - from.x, to.y - from.y) / STEP));
  for (let i = 1; i <= steps; i++) yield { x: from.x + ((to.x - from.x) * i) / steps, y: from.y + ((to.y - from.y) * i) / steps };
}
