ALTER TABLE "versions" ADD COLUMN "description" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "versions" ADD COLUMN "place" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "versions" ADD COLUMN "removed_at" timestamp with time zone;
