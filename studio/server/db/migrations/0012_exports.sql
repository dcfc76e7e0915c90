ALTER TABLE "exports" ADD COLUMN "files" jsonb DEFAULT '[]' NOT NULL;--> statement-breakpoint
ALTER TABLE "exports" ADD COLUMN "type" text DEFAULT 'audio/wav' NOT NULL;
--> statement-breakpoint
UPDATE "exports" SET "spec" = "spec" || '{"split":"none","handles":0,"ceiling":-1,"tags":{},"markers":false,"measure":false}' WHERE NOT "spec" ? 'split';
