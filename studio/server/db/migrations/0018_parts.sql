ALTER TABLE "sources" ADD COLUMN "parts" jsonb DEFAULT '[]'::jsonb NOT NULL;
