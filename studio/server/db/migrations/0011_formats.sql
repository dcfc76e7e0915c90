ALTER TABLE "sources" ADD COLUMN "format" text DEFAULT 'WAV, Broadcast WAV, RF64' NOT NULL;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "ending" text DEFAULT '.wav' NOT NULL;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "told" jsonb DEFAULT '{"marks":[],"loops":[],"timeReference":null,"title":null,"scene":null,"take":null}' NOT NULL;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "notes" jsonb DEFAULT '[]' NOT NULL;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "asking" jsonb;
