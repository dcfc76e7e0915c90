ALTER TABLE "projects" ADD COLUMN "removed_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "kept" boolean DEFAULT false NOT NULL;--> statement-breakpoint
CREATE TABLE "shared_sources" (
	"project_id" text NOT NULL REFERENCES "projects"("id") ON DELETE cascade,
	"source_id" text NOT NULL REFERENCES "sources"("id") ON DELETE cascade,
	"removed_at" timestamp with time zone,
	PRIMARY KEY ("project_id", "source_id")
);--> statement-breakpoint
CREATE INDEX "shared_sources_source" ON "shared_sources" ("source_id");
