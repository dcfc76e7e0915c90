-- Samples and peaks don't compress; stored as they are, parts of them can be read without unpacking the whole.
ALTER TABLE "source_bytes" ALTER COLUMN "data" SET STORAGE EXTERNAL;--> statement-breakpoint
ALTER TABLE "source_pcm" ALTER COLUMN "samples" SET STORAGE EXTERNAL;--> statement-breakpoint
ALTER TABLE "source_pcm" ALTER COLUMN "peaks" SET STORAGE EXTERNAL;--> statement-breakpoint
ALTER TABLE "export_bytes" ALTER COLUMN "data" SET STORAGE EXTERNAL;
