CREATE TABLE "recordings" (
	"id" text PRIMARY KEY NOT NULL,
	"version_id" text NOT NULL REFERENCES "versions"("id") ON DELETE cascade,
	"status" text DEFAULT 'recording' NOT NULL,
	"progress" real DEFAULT 0 NOT NULL,
	"error" text,
	"tracks" jsonb NOT NULL,
	"start" bigint DEFAULT 0 NOT NULL,
	"frames" bigint DEFAULT 0 NOT NULL,
	"lay" jsonb,
	"alive_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "recorded_parts" (
	"recording_id" text NOT NULL REFERENCES "recordings"("id") ON DELETE cascade,
	"track" integer NOT NULL,
	"at" bigint NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "recorded_parts_recording_id_track_at_pk" PRIMARY KEY("recording_id","track","at")
);
--> statement-breakpoint
ALTER TABLE "recorded_parts" ALTER COLUMN "data" SET STORAGE EXTERNAL;
