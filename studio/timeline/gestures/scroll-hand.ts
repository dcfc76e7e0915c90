import { session } from "@/state/sync/session";
import { view } from "@/state/view/view";
import { scrollTo } from "../model/geometry";
import type { Point } from "./gesture";

/** The lanes go along with the pointer from here on; what is returned is called with each place it comes to. */
export function grabLanes(pressed: Point): (p: Point) => void {
  const { start, scrollY, samplesPerPixel } = view();
  return (p) => scrollTo(session().doc, start - (p.x - pressed.x) * samplesPerPixel, scrollY - (p.y - pressed.y));
}
