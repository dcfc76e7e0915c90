ALTER TABLE "sources" ADD COLUMN "expected" bigint;
