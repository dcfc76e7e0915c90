import type { Loudness } from "@wet-thread/core/analysis/loudness";
import type { Edit } from "@wet-thread/core/edit/registry";
import type { StoredChange } from "@wet-thread/core/edit/stored-change";
import type { StepSummary } from "@wet-thread/core/edit/summary";
import { NOTHING_TOLD, type Told } from "@wet-thread/core/media/format";
import type { FileLayout } from "@wet-thread/core/media/pcm";
import type { KeptPart } from "@wet-thread/core/model/clip/kept-part";
import type { Modes } from "@wet-thread/core/model/modes";
import type { Making } from "@wet-thread/core/model/recipe/played-recording";
import type { Hit } from "@wet-thread/core/model/schema";
import { sql } from "drizzle-orm";
import { bigint, boolean, customType, index, integer, jsonb, pgTable, primaryKey, real, text, timestamp, uniqueIndex } from "drizzle-orm/pg-core";

const bytea = customType<{ data: Buffer }>({ dataType: () => "bytea" });
const created = () => timestamp("created_at", { withTimezone: true }).notNull().default(sql`now()`);

export const projects = pgTable("projects", {
  id: text("id").primaryKey(),
  name: text("name").notNull(),
  sampleRate: integer("sample_rate").notNull(),
  /** Removed; it can be put back for a month. */
  removedAt: timestamp("removed_at", { withTimezone: true }),
  createdAt: created(),
});

export const versions = pgTable("versions", {
  id: text("id").primaryKey(),
  projectId: text("project_id")
    .notNull()
    .references(() => projects.id, { onDelete: "cascade" }),
  name: text("name").notNull(),
  description: text("description").notNull().default(""),
  /** Its place among the project's versions; among equals the earlier one. */
  place: integer("place").notNull().default(0),
  revision: integer("revision").notNull().default(0),
  /** Deleted; it can be put back for a month. */
  removedAt: timestamp("removed_at", { withTimezone: true }),
  /** How one works on it; null where nobody has changed anything yet. */
  modes: jsonb("modes").$type<Partial<Modes>>(),
  createdAt: created(),
  changedAt: timestamp("changed_at", { withTimezone: true }).notNull().default(sql`now()`),
});

/** The present state of a version, one row a thing. Invariant: equal to the steps up to `revision` applied in order. */
export const entities = pgTable(
  "entities",
  {
    versionId: text("version_id")
      .notNull()
      .references(() => versions.id, { onDelete: "cascade" }),
    kind: text("kind").notNull(),
    id: text("id").notNull(),
    data: jsonb("data").notNull(),
  },
  (t) => [primaryKey({ columns: [t.versionId, t.kind, t.id] })],
);

export const STEP_KINDS = ["edit", "show", "undo", "redo"] as const;
export type StepKind = (typeof STEP_KINDS)[number];
export type StepState = "done" | "undone" | "dropped";

/**
 * Every step of a version in the server's order. `kind` is edit, undo, redo, or show for what only shows or listens, which no history lists; an edit is
 * done, undone, or dropped (undone, then overtaken by a new edit); an undo or redo names the edit that it took back or did again.
 */
export const steps = pgTable(
  "steps",
  {
    versionId: text("version_id")
      .notNull()
      .references(() => versions.id, { onDelete: "cascade" }),
    revision: integer("revision").notNull(),
    /** Chosen by the sender, so that a step whose answer was lost can be sent again without being done twice. */
    key: text("key"),
    /** What steps share that are taken back and done again together, as long as nothing else lies between them: a row of nudges. */
    row: text("row"),
    kind: text("kind").$type<StepKind>().notNull(),
    name: text("name").notNull(),
    edits: jsonb("edits").$type<Edit[]>().notNull(),
    changes: jsonb("changes").$type<StoredChange[]>().notNull(),
    /** How many changes, and what they come to in words: for the history, which lists many steps. Null in steps of an older release. */
    size: integer("size"),
    summary: jsonb("summary").$type<StepSummary>(),
    target: integer("target"),
    state: text("state").$type<StepState>().notNull(),
    createdAt: created(),
  },
  (t) => [
    primaryKey({ columns: [t.versionId, t.revision] }),
    index("steps_state").on(t.versionId, t.kind, t.state, t.revision),
    uniqueIndex("steps_key").on(t.versionId, t.key),
  ],
);

export const SOURCE_STATES = ["receiving", "queued", "importing", "asking", "ready", "failed"] as const;

/** What is asked about a file that holds less than it says: its lengths are in samples at the project's rate. */
export interface Asking {
  readonly message: string;
  /** Null where the file does not tell how long it should be. */
  readonly said: number | null;
  readonly there: number;
}

export const sources = pgTable(
  "sources",
  {
    id: text("id").primaryKey(),
    projectId: text("project_id")
      .notNull()
      .references(() => projects.id, { onDelete: "cascade" }),
    name: text("name").notNull(),
    status: text("status").$type<(typeof SOURCE_STATES)[number]>().notNull(),
    progress: real("progress").notNull().default(0),
    error: text("error"),
    /** Samples at the project's rate. */
    length: bigint("length", { mode: "number" }).notNull().default(0),
    channels: integer("channels").notNull().default(0),
    sampleRate: integer("sample_rate").notNull().default(0),
    originalRate: integer("original_rate").notNull().default(0),
    bytes: bigint("bytes", { mode: "number" }).notNull().default(0),
    /** Where the samples lie in the file, when they are taken from there as they are; null when they lie in rows of their own. */
    layout: jsonb("layout").$type<FileLayout>(),
    /** What kind of file it came as, and the ending that such files have. */
    format: text("format").notNull().default("WAV, Broadcast WAV, RF64"),
    ending: text("ending").notNull().default(".wav"),
    /** What the file tells beside its samples; places are samples at the project's rate. */
    told: jsonb("told").$type<Told>().notNull().default(NOTHING_TOLD),
    /** What people should know of how it was read. */
    notes: jsonb("notes").$type<string[]>().notNull().default([]),
    asking: jsonb("asking").$type<Asking>(),
    /** Whether it was answered that what is there is to be kept. */
    kept: boolean("kept").notNull().default(false),
    /** Samples at the project's rate at which a hit begins. */
    transients: jsonb("transients").$type<number[]>().notNull().default([]),
    /** The same and fainter ones, with their strengths; null for recordings that came in before strengths were told. */
    hits: jsonb("hits").$type<Hit[]>(),
    /** Parts of it that are kept under names of their own. */
    parts: jsonb("parts").$type<KeptPart[]>().notNull().default([]),
    /** Bytes that are to come in all, where it comes in parts; null where it comes in one go. */
    expected: bigint("expected", { mode: "number" }),
    /** While it is received: when bytes last came. */
    aliveAt: timestamp("alive_at", { withTimezone: true }).notNull().defaultNow(),
    /** Taken out of the list while nothing used it; the recording itself stays as long as a step may bring back a clip of it. */
    removedAt: timestamp("removed_at", { withTimezone: true }),
    createdAt: created(),
  },
  (t) => [index("sources_project").on(t.projectId)],
);

/** Recordings that a project shares with the one that they belong to: those of which it is a copy. */
export const sharedSources = pgTable(
  "shared_sources",
  {
    projectId: text("project_id")
      .notNull()
      .references(() => projects.id, { onDelete: "cascade" }),
    sourceId: text("source_id")
      .notNull()
      .references(() => sources.id, { onDelete: "cascade" }),
    /** Taken out of this project's list while nothing in it used it. */
    removedAt: timestamp("removed_at", { withTimezone: true }),
  },
  (t) => [primaryKey({ columns: [t.projectId, t.sourceId] }), index("shared_sources_source").on(t.sourceId)],
);

/** A recording as it came, in pieces of 1 MiB. */
export const sourceBytes = pgTable(
  "source_bytes",
  {
    sourceId: text("source_id")
      .notNull()
      .references(() => sources.id, { onDelete: "cascade" }),
    index: integer("index").notNull(),
    data: bytea("data").notNull(),
  },
  (t) => [primaryKey({ columns: [t.sourceId, t.index] })],
);

/**
 * A recording at the project's rate: 65,536 samples of one channel a row, with their peak pyramid. Samples are 32-bit floats, and null
 * where the file itself has them (see `layout`).
 */
export const sourcePcm = pgTable(
  "source_pcm",
  {
    sourceId: text("source_id")
      .notNull()
      .references(() => sources.id, { onDelete: "cascade" }),
    channel: integer("channel").notNull(),
    index: integer("index").notNull(),
    samples: bytea("samples"),
    peaks: bytea("peaks").notNull(),
  },
  (t) => [primaryKey({ columns: [t.sourceId, t.channel, t.index] })],
);

/** What recipes make of recordings, by played id: what is to be done, and how far it is. Its samples come as clips need them. */
export const made = pgTable(
  "made",
  {
    id: text("id").primaryKey(),
    sourceId: text("source_id")
      .notNull()
      .references(() => sources.id, { onDelete: "cascade" }),
    making: jsonb("making").$type<Making>().notNull(),
    /** Samples at the project's rate. */
    length: bigint("length", { mode: "number" }).notNull(),
    status: text("status").$type<"rendering" | "ready" | "failed">().notNull().default("ready"),
    progress: real("progress").notNull().default(0),
    error: text("error"),
    /** When some clip last came to need it. Samples that nobody has needed for long go, and are made again when somebody does. */
    usedAt: timestamp("used_at", { withTimezone: true }).notNull().defaultNow(),
    createdAt: created(),
  },
  (t) => [index("made_source").on(t.sourceId)],
);

/** Chunks of what is made that are there, as those of recordings. */
export const madePcm = pgTable(
  "made_pcm",
  {
    madeId: text("made_id")
      .notNull()
      .references(() => made.id, { onDelete: "cascade" }),
    channel: integer("channel").notNull(),
    index: integer("index").notNull(),
    samples: bytea("samples").notNull(),
    peaks: bytea("peaks").notNull(),
  },
  (t) => [primaryKey({ columns: [t.madeId, t.channel, t.index] })],
);

/** Things that are kept under a name, for every project. */
const named = <N extends string>(name: N) =>
  pgTable(name, { id: text("id").primaryKey(), name: text("name").notNull(), content: jsonb("content").notNull(), createdAt: created() }, (t) => [
    uniqueIndex(`${name}_name`).on(t.name),
  ]);

/** Treatments: `{chain}`. */
export const presets = named("presets");
/** How somebody plays the lines of a bar: `{step, offsets}`. */
export const feels = named("feels");

/** One file of an export: what it is of, and how loud it came out. */
export interface ExportedFile {
  readonly name: string;
  readonly bytes: number;
  /** Samples a channel, and how many a second. */
  readonly length: number;
  readonly sampleRate: number;
  /** dB that it was turned up by, and what kept it from more; 0 where nothing was asked. */
  readonly gain: number;
  readonly notes: readonly string[];
  readonly loudness: Loudness;
}

export const exportJobs = pgTable("exports", {
  id: text("id").primaryKey(),
  versionId: text("version_id")
    .notNull()
    .references(() => versions.id, { onDelete: "cascade" }),
  status: text("status").$type<"queued" | "rendering" | "ready" | "failed">().notNull(),
  progress: real("progress").notNull().default(0),
  error: text("error"),
  /** The state of the version that it is of. */
  revision: integer("revision").notNull().default(0),
  spec: jsonb("spec").notNull(),
  name: text("name").notNull(),
  bytes: bigint("bytes", { mode: "number" }).notNull().default(0),
  files: jsonb("files").$type<ExportedFile[]>().notNull().default([]),
  /** Of what it is sent as. */
  type: text("type").notNull().default("audio/wav"),
  createdAt: created(),
});

export const exportBytes = pgTable(
  "export_bytes",
  {
    exportId: text("export_id")
      .notNull()
      .references(() => exportJobs.id, { onDelete: "cascade" }),
    index: integer("index").notNull(),
    data: bytea("data").notNull(),
  },
  (t) => [primaryKey({ columns: [t.exportId, t.index] })],
);

/** Clips being printed to new recordings, one a track, that take their place. */
export const printJobs = pgTable("prints", {
  id: text("id").primaryKey(),
  versionId: text("version_id")
    .notNull()
    .references(() => versions.id, { onDelete: "cascade" }),
  status: text("status").$type<"queued" | "rendering" | "ready" | "failed">().notNull(),
  progress: real("progress").notNull().default(0),
  error: text("error"),
  /** The state of the version that it is of. */
  revision: integer("revision").notNull().default(0),
  clipIds: jsonb("clip_ids").$type<string[]>().notNull(),
  name: text("name").notNull(),
  sourceIds: jsonb("source_ids").$type<string[]>().notNull().default([]),
  createdAt: created(),
});

/** One track of a recording that is made here: the recording that it will be, of so many channels of what comes in. */
export interface RecordedTrack {
  readonly trackId: string;
  readonly sourceId: string;
  readonly name: string;
  readonly channels: number;
}

/** Sound that comes in from a page as it is recorded; when it ends, a job makes recordings of it and lays them. */
export const recordings = pgTable("recordings", {
  id: text("id").primaryKey(),
  versionId: text("version_id")
    .notNull()
    .references(() => versions.id, { onDelete: "cascade" }),
  status: text("status").$type<"recording" | "queued" | "rendering" | "ready" | "failed">().notNull().default("recording"),
  progress: real("progress").notNull().default(0),
  /** Why it failed, or why what was recorded could not be laid. */
  error: text("error"),
  tracks: jsonb("tracks").$type<RecordedTrack[]>().notNull(),
  /** Where the first sample lies on the timeline. */
  start: bigint("start", { mode: "number" }).notNull().default(0),
  /** Samples a channel that have come. */
  frames: bigint("frames", { mode: "number" }).notNull().default(0),
  /** The edits that lay it, once it has ended. */
  lay: jsonb("lay").$type<Edit[]>(),
  /** When its page was last heard of. */
  aliveAt: timestamp("alive_at", { withTimezone: true }).notNull().defaultNow(),
  createdAt: created(),
});

/** What came of a recording, as 32-bit floats with the channels of each track interleaved, until recordings are made of it. */
export const recordedParts = pgTable(
  "recorded_parts",
  {
    recordingId: text("recording_id")
      .notNull()
      .references(() => recordings.id, { onDelete: "cascade" }),
    /** Which of the recording's tracks, from 0. */
    track: integer("track").notNull(),
    /** The first of its frames. */
    at: bigint("at", { mode: "number" }).notNull(),
    data: bytea("data").notNull(),
  },
  (t) => [primaryKey({ columns: [t.recordingId, t.track, t.at] })],
);

/** Browsers that are signed in: by a random token of theirs, which is not kept itself. */
export const sessions = pgTable("sessions", {
  /** A digest of the token. */
  id: text("id").primaryKey(),
  /** The passphrase that was given, under the token as a key: another passphrase ends the session, and neither can be guessed from it. */
  proof: text("proof").notNull(),
  until: timestamp("until", { withTimezone: true }).notNull(),
  createdAt: created(),
});
