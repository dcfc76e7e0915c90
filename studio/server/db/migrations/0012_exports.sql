ALTER TABLE "exports" ADD COLUMN "files" jsonb DEFAULT '[]' NOT NULL;--> statement-breakpoint
ALTER TABLE "exports" ADD COLUMN "type" text DEFAULT 'audio/wav' NOT NULL;
