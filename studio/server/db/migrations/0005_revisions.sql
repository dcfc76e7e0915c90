ALTER TABLE "exports" ADD COLUMN "revision" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "prints" ADD COLUMN "revision" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
UPDATE "exports" e SET "revision" = v.revision FROM "versions" v WHERE v.id = e.version_id;--> statement-breakpoint
UPDATE "prints" p SET "revision" = v.revision FROM "versions" v WHERE v.id = p.version_id;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "alive_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS "versions_project" ON "versions" ("project_id");--> statement-breakpoint
CREATE INDEX IF NOT EXISTS "exports_version" ON "exports" ("version_id");--> statement-breakpoint
CREATE INDEX IF NOT EXISTS "prints_version" ON "prints" ("version_id");
