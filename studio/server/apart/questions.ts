import { readArchive } from "../archive/read";
import { lineUpLane } from "../heard/line-up";
import { measureClips } from "../heard/measure";
import { roomOf } from "../heard/room";
import { seamReport } from "../heard/seams";
import { soundOf } from "../heard/sound";
import { compareVersions } from "../pieces/version-list";

/**
 * Questions whose answers take longer than a web server may be busy with one thing: they are worked out in a process of their own. An answer
 * is a line of JSON, so that it is sent on as it is.
 */
export const QUESTIONS = {
  seams: ({ versionId }: { versionId: string }, called: () => boolean) => seamReport(versionId, called),
  sound: ({ versionId, request }: { versionId: string; request: Parameters<typeof soundOf>[1] }) => soundOf(versionId, request),
  measure: ({ versionId, request }: { versionId: string; request: Parameters<typeof measureClips>[1] }, called: () => boolean) =>
    measureClips(versionId, request, called),
  lineUp: ({ versionId, request }: { versionId: string; request: Parameters<typeof lineUpLane>[1] }) => lineUpLane(versionId, request),
  readArchive: (about: Parameters<typeof readArchive>[0], called: () => boolean) => readArchive(about, called),
  compare: ({ a, b }: { a: string; b: string }) => compareVersions(a, b),
  room: ({ versionId, request }: { versionId: string; request: Parameters<typeof roomOf>[1] }) => roomOf(versionId, request),
};
export type Question = keyof typeof QUESTIONS;

export type ToApart =
  | { readonly type: "ask"; readonly id: number; readonly question: Question; readonly about: unknown }
  | { readonly type: "off"; readonly id: number };
export type FromApart =
  | { readonly type: "part"; readonly id: number; readonly text: string }
  | { readonly type: "end"; readonly id: number }
  | {
      readonly type: "wrong";
      readonly id: number;
      readonly status: number;
      readonly code: string;
      readonly message: string;
      readonly more: Record<string, unknown>;
    };
