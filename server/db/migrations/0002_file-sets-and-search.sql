CREATE EXTENSION IF NOT EXISTS pg_trgm;--> statement-breakpoint
CREATE TABLE "batches" (
	"id" uuid PRIMARY KEY NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"source" text NOT NULL,
	"sha256" text,
	"addresses" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"agreed" boolean DEFAULT false NOT NULL,
	"state" text NOT NULL,
	"total" integer DEFAULT 0 NOT NULL,
	"done" integer DEFAULT 0 NOT NULL,
	"trouble" text DEFAULT '' NOT NULL,
	"team" text,
	"audience" text
);
--> statement-breakpoint
CREATE TABLE "parts" (
	"revision" integer NOT NULL,
	"kind" text NOT NULL,
	"position" integer NOT NULL,
	"name" text NOT NULL,
	"detail" json NOT NULL,
	CONSTRAINT "parts_revision_kind_position_pk" PRIMARY KEY("revision","kind","position")
);
--> statement-breakpoint
CREATE TABLE "revision_files" (
	"revision" integer NOT NULL,
	"position" integer NOT NULL,
	"name" text NOT NULL,
	"sha256" text NOT NULL,
	"bytes" integer NOT NULL,
	CONSTRAINT "revision_files_revision_position_pk" PRIMARY KEY("revision","position")
);
--> statement-breakpoint
CREATE TABLE "search_entries" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "search_entries_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"api" integer NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"text" text NOT NULL,
	"file" text NOT NULL,
	"line" integer NOT NULL,
	"named" text NOT NULL,
	"words" text NOT NULL,
	"vector" "tsvector" GENERATED ALWAYS AS (setweight(to_tsvector('simple', named), 'A') || setweight(to_tsvector('simple', words), 'D')) STORED NOT NULL
);
--> statement-breakpoint
CREATE TABLE "search_words" (
	"word" text PRIMARY KEY NOT NULL
);
--> statement-breakpoint
DROP INDEX "revisions_sha256_index";--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "owner" text;--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "sunset" text;--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "labels" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "links" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "file" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "batch" uuid;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "agreed" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "file" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "files" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "missing" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "outcome" text;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "result" jsonb;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "tags" text[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "digest" text;--> statement-breakpoint
UPDATE "revisions" SET "digest" = "sha256";--> statement-breakpoint
ALTER TABLE "revisions" ALTER COLUMN "digest" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "format" text;--> statement-breakpoint
UPDATE "revisions" SET "format" = "summary" ->> 'format';--> statement-breakpoint
ALTER TABLE "revisions" ALTER COLUMN "format" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_sha256_blobs_sha256_fk" FOREIGN KEY ("sha256") REFERENCES "public"."blobs"("sha256") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "parts" ADD CONSTRAINT "parts_revision_revisions_id_fk" FOREIGN KEY ("revision") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revision_files" ADD CONSTRAINT "revision_files_revision_revisions_id_fk" FOREIGN KEY ("revision") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revision_files" ADD CONSTRAINT "revision_files_sha256_blobs_sha256_fk" FOREIGN KEY ("sha256") REFERENCES "public"."blobs"("sha256") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "search_entries" ADD CONSTRAINT "search_entries_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "parts_revision_kind_name_index" ON "parts" USING btree ("revision","kind","name");--> statement-breakpoint
CREATE INDEX "search_entries_api_index" ON "search_entries" USING btree ("api");--> statement-breakpoint
CREATE INDEX "search_entries_vector_index" ON "search_entries" USING gin ("vector");--> statement-breakpoint
CREATE INDEX "search_entries_about" ON "search_entries" USING gin ("vector") WHERE kind = 'api';--> statement-breakpoint
CREATE INDEX "search_words_near" ON "search_words" USING gin ("word" gin_trgm_ops);--> statement-breakpoint
CREATE INDEX "search_words_begin" ON "search_words" USING spgist ("word");--> statement-breakpoint
ALTER TABLE "intakes" ADD CONSTRAINT "intakes_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "revisions_digest_index" ON "revisions" USING btree ("digest");
--> statement-breakpoint
INSERT INTO "revision_files" ("revision", "position", "name", "sha256", "bytes")
SELECT "id", 0, "file", "sha256", "bytes" FROM "revisions";
