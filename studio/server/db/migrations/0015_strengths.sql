ALTER TABLE "sources" ADD COLUMN "hits" jsonb;
