CREATE TABLE "feels" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"content" jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);--> statement-breakpoint
CREATE UNIQUE INDEX "feels_name" ON "feels" ("name");--> statement-breakpoint
ALTER TABLE "presets" RENAME COLUMN "chain" TO "content";--> statement-breakpoint
UPDATE "presets" SET "content" = jsonb_build_object('chain', "content");
