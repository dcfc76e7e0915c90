ALTER TABLE "steps" ADD COLUMN "row" text;
