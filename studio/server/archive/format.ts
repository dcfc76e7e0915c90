import { KeptPart, MOST_PARTS } from "@wet-thread/core/model/clip/kept-part";
import { z } from "zod";
import { STEP_KINDS } from "../db/schema";

/*
 * A project archive (docs/archive.md): a zip with `project.json`, each version as `versions/<n>.json`, its steps as lines of
 * `versions/<n>.history.ndjson` where they were wanted, and the recordings' own files under `recordings/`.
 */

export const ARCHIVE_FORMAT = "wet-thread-project";
/** What is written; older ones are read. */
export const ARCHIVE_VERSION = 2;
export const MANIFEST = "project.json";

export const Manifest = z.object({
  format: z.literal(ARCHIVE_FORMAT),
  formatVersion: z.int().min(1),
  project: z.object({ name: z.string().max(400), sampleRate: z.int().min(8000).max(192_000) }),
  recordings: z
    .array(
      z.object({
        id: z.string().min(1).max(200),
        name: z.string().max(400),
        file: z.string().max(600),
        bytes: z.int().min(0),
        /** Samples at the project's rate. */
        length: z.int().min(0),
        /** It was answered that what is there of a file cut short is to be kept. */
        kept: z.boolean().default(false),
        /** Taken out of the list, but named by a step. */
        removed: z.boolean().default(false),
        /** Parts of it that are kept under names of their own. */
        parts: z.array(KeptPart).max(MOST_PARTS).default([]),
      }),
    )
    .max(100_000),
  versions: z
    .array(
      z.object({
        name: z.string().max(400),
        description: z.string().max(4000).default(""),
        revision: z.int().min(0),
        modes: z.record(z.string(), z.unknown()).nullable().default(null),
        file: z.string().max(600),
        history: z.string().max(600).nullable().default(null),
      }),
    )
    .min(1)
    .max(10_000),
});
export type Manifest = z.infer<typeof Manifest>;

/** One step as a line. */
export const StepLine = z.object({
  revision: z.int().min(1),
  key: z.string().max(200).nullable(),
  row: z.string().max(200).nullable(),
  kind: z.enum(STEP_KINDS),
  name: z.string().max(1000),
  edits: z.array(z.unknown()),
  changes: z.array(z.unknown()),
  size: z.int().nullable(),
  summary: z.unknown(),
  target: z.int().nullable(),
  state: z.enum(["done", "undone", "dropped"]),
  createdAt: z.string().max(60),
});
