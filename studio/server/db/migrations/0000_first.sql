CREATE TABLE "entities" (
	"version_id" text NOT NULL,
	"kind" text NOT NULL,
	"id" text NOT NULL,
	"data" jsonb NOT NULL,
	CONSTRAINT "entities_version_id_kind_id_pk" PRIMARY KEY("version_id","kind","id")
);
--> statement-breakpoint
CREATE TABLE "export_bytes" (
	"export_id" text NOT NULL,
	"index" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "export_bytes_export_id_index_pk" PRIMARY KEY("export_id","index")
);
--> statement-breakpoint
CREATE TABLE "exports" (
	"id" text PRIMARY KEY NOT NULL,
	"version_id" text NOT NULL,
	"status" text NOT NULL,
	"progress" real DEFAULT 0 NOT NULL,
	"error" text,
	"spec" jsonb NOT NULL,
	"name" text NOT NULL,
	"bytes" bigint DEFAULT 0 NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "projects" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"sample_rate" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "source_bytes" (
	"source_id" text NOT NULL,
	"index" integer NOT NULL,
	"data" "bytea" NOT NULL,
	CONSTRAINT "source_bytes_source_id_index_pk" PRIMARY KEY("source_id","index")
);
--> statement-breakpoint
CREATE TABLE "source_pcm" (
	"source_id" text NOT NULL,
	"channel" integer NOT NULL,
	"index" integer NOT NULL,
	"samples" "bytea" NOT NULL,
	"peaks" "bytea" NOT NULL,
	CONSTRAINT "source_pcm_source_id_channel_index_pk" PRIMARY KEY("source_id","channel","index")
);
--> statement-breakpoint
CREATE TABLE "sources" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"name" text NOT NULL,
	"status" text NOT NULL,
	"progress" real DEFAULT 0 NOT NULL,
	"error" text,
	"length" bigint DEFAULT 0 NOT NULL,
	"channels" integer DEFAULT 0 NOT NULL,
	"sample_rate" integer DEFAULT 0 NOT NULL,
	"original_rate" integer DEFAULT 0 NOT NULL,
	"bytes" bigint DEFAULT 0 NOT NULL,
	"transients" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "steps" (
	"version_id" text NOT NULL,
	"revision" integer NOT NULL,
	"key" text,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"edits" jsonb NOT NULL,
	"changes" jsonb NOT NULL,
	"target" integer,
	"state" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "steps_version_id_revision_pk" PRIMARY KEY("version_id","revision")
);
--> statement-breakpoint
CREATE TABLE "versions" (
	"id" text PRIMARY KEY NOT NULL,
	"project_id" text NOT NULL,
	"name" text NOT NULL,
	"revision" integer DEFAULT 0 NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "entities" ADD CONSTRAINT "entities_version_id_versions_id_fk" FOREIGN KEY ("version_id") REFERENCES "public"."versions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "export_bytes" ADD CONSTRAINT "export_bytes_export_id_exports_id_fk" FOREIGN KEY ("export_id") REFERENCES "public"."exports"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "exports" ADD CONSTRAINT "exports_version_id_versions_id_fk" FOREIGN KEY ("version_id") REFERENCES "public"."versions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "source_bytes" ADD CONSTRAINT "source_bytes_source_id_sources_id_fk" FOREIGN KEY ("source_id") REFERENCES "public"."sources"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "source_pcm" ADD CONSTRAINT "source_pcm_source_id_sources_id_fk" FOREIGN KEY ("source_id") REFERENCES "public"."sources"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sources" ADD CONSTRAINT "sources_project_id_projects_id_fk" FOREIGN KEY ("project_id") REFERENCES "public"."projects"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "steps" ADD CONSTRAINT "steps_version_id_versions_id_fk" FOREIGN KEY ("version_id") REFERENCES "public"."versions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_project_id_projects_id_fk" FOREIGN KEY ("project_id") REFERENCES "public"."projects"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "sources_project" ON "sources" USING btree ("project_id");--> statement-breakpoint
CREATE INDEX "steps_state" ON "steps" USING btree ("version_id","kind","state","revision");--> statement-breakpoint
CREATE UNIQUE INDEX "steps_key" ON "steps" USING btree ("version_id","key");