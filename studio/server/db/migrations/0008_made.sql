CREATE TABLE "made" (
	"id" text PRIMARY KEY NOT NULL,
	"source_id" text NOT NULL REFERENCES "sources"("id") ON DELETE cascade,
	"making" jsonb NOT NULL,
	"length" bigint NOT NULL,
	"status" text DEFAULT 'ready' NOT NULL,
	"progress" real DEFAULT 0 NOT NULL,
	"error" text,
	"used_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);--> statement-breakpoint
CREATE INDEX "made_source" ON "made" ("source_id");--> statement-breakpoint
CREATE TABLE "made_pcm" (
	"made_id" text NOT NULL REFERENCES "made"("id") ON DELETE cascade,
	"channel" integer NOT NULL,
	"index" integer NOT NULL,
	"samples" bytea NOT NULL,
	"peaks" bytea NOT NULL,
	CONSTRAINT "made_pcm_pk" PRIMARY KEY("made_id","channel","index")
);--> statement-breakpoint
ALTER TABLE "made_pcm" ALTER COLUMN "samples" SET STORAGE EXTERNAL;--> statement-breakpoint
ALTER TABLE "made_pcm" ALTER COLUMN "peaks" SET STORAGE EXTERNAL;
