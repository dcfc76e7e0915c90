import type { Edit } from "@wet-thread/core/edit/registry";
import type { Change } from "@wet-thread/core/model/document";
import type { SourceInfo, VersionData } from "@wet-thread/core/model/schema";
import type { SeamMeasure } from "@wet-thread/core/seam/measure";

/** A seam as the page asks for it. */
export interface AskedSeam {
  readonly id: string;
  readonly trackId: string;
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
    };

export type FromMeasurer =
  | { readonly type: "measures"; readonly measures: readonly (readonly [id: string, measure: SeamMeasure])[] }
  | { readonly type: "tried"; readonly token: number; readonly measures: readonly (SeamMeasure | null)[]; readonly error: string | null };
