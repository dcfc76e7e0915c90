CREATE TABLE "prints" (
	"id" text PRIMARY KEY NOT NULL,
	"version_id" text NOT NULL,
	"status" text NOT NULL,
	"progress" real DEFAULT 0 NOT NULL,
	"error" text,
	"clip_ids" jsonb NOT NULL,
	"name" text NOT NULL,
	"source_ids" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "prints" ADD CONSTRAINT "prints_version_id_versions_id_fk" FOREIGN KEY ("version_id") REFERENCES "public"."versions"("id") ON DELETE cascade ON UPDATE no action;