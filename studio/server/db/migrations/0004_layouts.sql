ALTER TABLE "source_pcm" ALTER COLUMN "samples" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "sources" ADD COLUMN "layout" jsonb;--> statement-breakpoint
ALTER TABLE "steps" ADD COLUMN "size" integer;--> statement-breakpoint
ALTER TABLE "steps" ADD COLUMN "summary" jsonb;