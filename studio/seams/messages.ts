import type { Edit } from "@wet-thread/core/edit/registry";
import type { Change } from "@wet-thread/core/model/document";
import type { SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";
import type { HowToSettle, Settling } from "./settling";

/** A seam as the page asks for it. */
export interface AskedSeam {
  readonly id: string;
  readonly trackId: string;
  /** The clip that begins there: seams before it may have changed its name. */
  readonly rightId: string | null;
}

/** What the page tells the worker that measures seams. */
export type ToMeasurer =
  | { readonly type: "document"; readonly data: VersionData; readonly sources: readonly SourceInfo[] }
  | { readonly type: "changes"; readonly changes: readonly Change[] }
  | { readonly type: "measure"; readonly seams: readonly AskedSeam[] }
  /** Measures what an edit would make of some seams, told by track and place. */
  | {
      readonly type: "try";
      readonly token: number;
      readonly edit: Edit;
      readonly seams: readonly { readonly trackId: string; readonly position: number }[];
    }
  | AskedSettling
  | { readonly type: "stop-settling"; readonly token: number };

/** Seams as they are to be settled, one after the other. */
export interface AskedSettling {
  readonly type: "settle";
  readonly token: number;
  readonly seams: readonly AskedSeam[];
  readonly how: HowToSettle;
}

export type FromMeasurer =
  | { readonly type: "measures"; readonly measures: readonly (readonly [id: string, measure: SeamMeasure])[] }
  | { readonly type: "tried"; readonly token: number; readonly measures: readonly (SeamMeasure | null)[]; readonly error: string | null }
  | { readonly type: "settling"; readonly token: number; readonly done: number }
  /** `found` is null where it was called off. */
  | { readonly type: "settled"; readonly token: number; readonly found: readonly Settling[] | null };
