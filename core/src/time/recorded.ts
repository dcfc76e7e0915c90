/** A stretch that was heard without a break: from a frame of the sound device on, the timeline from `position` on, for `frames` samples. */
export interface HeardRun {
  readonly frame: number;
  readonly position: number;
  readonly frames: number;
}

/** From here on frames of one count go along with those of another, until the next of its kind. */
export interface Along {
  readonly frame: number;
  readonly to: number;
}

/**
 * What was heard when, from two counts: `played` says at which frame of the sound device (`frame`) which frame of all that was made (`to`)
 * went out, `made` where on the timeline (`to`) a frame of all that was made (`frame`) lies. Both are in order, made frames are counted up to `until`,
 * and what was made before the first place on the timeline (a count-in) lies nowhere.
 */
export function heardRuns(played: readonly Along[], made: readonly Along[], until: number): HeardRun[] {
  const out: HeardRun[] = [];
  for (const [i, run] of played.entries()) {
    const runEnd = Math.min(until, played[i + 1]?.to ?? until);
    for (const [j, place] of made.entries()) {
      const from = Math.max(run.to, place.frame);
      const to = Math.min(runEnd, made[j + 1]?.frame ?? until);
      if (to > from) out.push({ frame: run.frame + from - run.to, position: place.to + from - place.frame, frames: to - from });
    }
  }
  return out;
}

/** Where a stretch of a recording belongs on the timeline, in samples. */
export interface RecordedPart {
  readonly start: number;
  readonly offset: number;
  readonly length: number;
}

/** What of a recording is kept, and how it came. */
export interface Captured {
  /** Frame of the sound device at which its first sample came in, and how many came. */
  readonly first: number;
  readonly frames: number;
  /** Samples from the moment at which something is sent out to the moment at which it comes in again. */
  readonly roundTrip: number;
  /** The span of the timeline that is kept; without an end, to where the ear came. */
  readonly start: number;
  readonly end: number | null;
}

/** Shorter than this, in samples, is no take: the moment between the last beat of a loop and the hand on the key. */
export const LEAST_TAKE = 64;

/**
 * Lays a recording where it was played to: what comes in at a frame belongs to what was heard a round trip earlier. Each time the ear jumps
 * back (a loop begins anew) another take begins; where playing stood still and went on, a take has a gap in the recording and so another part. What
 * lies outside the kept span belongs to no part, and stays in the recording. `runs` are in order of their frames.
 */
export function takesOf(runs: readonly HeardRun[], { first, frames, roundTrip, start, end }: Captured): RecordedPart[][] {
  const takes: RecordedPart[][] = [];
  let [take, ear]: [RecordedPart[], number] = [[], Number.NEGATIVE_INFINITY];
  const close = (): void => {
    if (take.reduce((sum, p) => sum + p.length, 0) >= LEAST_TAKE) takes.push(take);
    take = [];
  };
  for (const run of runs) {
    if (run.position < ear) close();
    ear = run.position + run.frames;
    // Where in the recording the run's first sample came back.
    const came = run.frame + roundTrip - first;
    const from = Math.max(run.position, start, run.position - came);
    const to = Math.min(ear, end ?? Number.POSITIVE_INFINITY, run.position - came + frames);
    if (to <= from) continue;
    const part = { start: from, offset: came + from - run.position, length: to - from };
    const last = take.at(-1);
    if (last && last.start + last.length === part.start && last.offset + last.length === part.offset)
      take[take.length - 1] = { ...last, length: last.length + part.length };
    else take.push(part);
  }
  close();
  return takes;
}
