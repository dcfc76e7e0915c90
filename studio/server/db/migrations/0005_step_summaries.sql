ALTER TABLE "steps" ADD COLUMN "size" integer;--> statement-breakpoint
ALTER TABLE "steps" ADD COLUMN "summary" jsonb;