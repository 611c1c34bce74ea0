CREATE TABLE "apis" (
	"id" serial PRIMARY KEY NOT NULL,
	"slug" text NOT NULL,
	"title" text NOT NULL,
	"team" text NOT NULL,
	"audience" text NOT NULL,
	"lifecycle" text NOT NULL,
	"latest_revision" integer NOT NULL,
	CONSTRAINT "apis_slug_unique" UNIQUE("slug")
);
--> statement-breakpoint
CREATE TABLE "approvals" (
	"promotion" integer NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"note" text NOT NULL,
	CONSTRAINT "approvals_promotion_by_pk" PRIMARY KEY("promotion","by")
);
--> statement-breakpoint
CREATE TABLE "backends" (
	"api" text NOT NULL,
	"stage" text NOT NULL,
	"name" text NOT NULL,
	"url" text NOT NULL,
	"timeout_ms" integer NOT NULL,
	CONSTRAINT "backends_api_stage_name_pk" PRIMARY KEY("api","stage","name")
);
--> statement-breakpoint
CREATE TABLE "blobs" (
	"sha256" text PRIMARY KEY NOT NULL,
	"bytes" "bytea" NOT NULL
);
--> statement-breakpoint
CREATE TABLE "editions" (
	"number" integer PRIMARY KEY NOT NULL,
	"domain" text NOT NULL,
	"rules" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "findings" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "findings_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"revision" integer NOT NULL,
	"rule" text NOT NULL,
	"level" text NOT NULL,
	"message" text NOT NULL,
	"at" text NOT NULL,
	"line" integer NOT NULL,
	"column" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "gateways" (
	"name" text PRIMARY KEY NOT NULL,
	"serves" text NOT NULL,
	"position" integer NOT NULL,
	"data_url" text NOT NULL,
	"admin_url" text NOT NULL,
	"seen_at" timestamp with time zone,
	"trouble" text DEFAULT '' NOT NULL,
	"routes" integer DEFAULT 0 NOT NULL,
	"unclaimed" jsonb DEFAULT '[]'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "intakes" (
	"id" uuid PRIMARY KEY NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"source" text NOT NULL,
	"address" text,
	"sha256" text,
	"bytes" integer NOT NULL,
	"state" text NOT NULL,
	"problems" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"summary" jsonb,
	"attempts" integer DEFAULT 0 NOT NULL
);
--> statement-breakpoint
CREATE TABLE "keys" (
	"placement" text NOT NULL,
	"name" text NOT NULL,
	"sha256" text NOT NULL,
	CONSTRAINT "keys_placement_name_pk" PRIMARY KEY("placement","name")
);
--> statement-breakpoint
CREATE TABLE "ledger" (
	"number" integer PRIMARY KEY NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"actor" text NOT NULL,
	"action" text NOT NULL,
	"subject" text NOT NULL,
	"before" jsonb,
	"after" jsonb,
	"previous" text NOT NULL,
	"hash" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "people" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"display_name" text NOT NULL,
	"role" text NOT NULL,
	"team" text,
	"password_hash" text NOT NULL,
	CONSTRAINT "people_name_unique" UNIQUE("name")
);
--> statement-breakpoint
CREATE TABLE "placements" (
	"id" text PRIMARY KEY NOT NULL,
	"edition" integer NOT NULL,
	"api" integer NOT NULL,
	"version" text NOT NULL,
	"revision" integer NOT NULL,
	"stage" text NOT NULL,
	"gateway" text NOT NULL,
	"spec" jsonb NOT NULL,
	"applied_at" timestamp with time zone NOT NULL,
	"applied_by" text NOT NULL,
	"checked_at" timestamp with time zone,
	"differences" jsonb DEFAULT '[]'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "promotions" (
	"id" serial PRIMARY KEY NOT NULL,
	"api" integer NOT NULL,
	"version" text NOT NULL,
	"from_stage" text NOT NULL,
	"to_stage" text NOT NULL,
	"state" text NOT NULL,
	"requested_by" text NOT NULL,
	"requested_at" timestamp with time zone NOT NULL,
	"note" text NOT NULL,
	"evidence" jsonb
);
--> statement-breakpoint
CREATE TABLE "revisions" (
	"id" serial PRIMARY KEY NOT NULL,
	"api" integer NOT NULL,
	"number" integer NOT NULL,
	"version" text NOT NULL,
	"file" text NOT NULL,
	"sha256" text NOT NULL,
	"bytes" integer NOT NULL,
	"summary" jsonb NOT NULL,
	"counts" jsonb NOT NULL,
	"edition" integer NOT NULL,
	"saved_at" timestamp with time zone NOT NULL,
	"saved_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "sessions" (
	"id" uuid PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "settings" (
	"id" boolean PRIMARY KEY DEFAULT true NOT NULL,
	"organisation" text NOT NULL,
	"demo" boolean NOT NULL,
	"teams" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "snapshots" (
	"id" serial PRIMARY KEY NOT NULL,
	"gateway" text NOT NULL,
	"taken_at" timestamp with time zone NOT NULL,
	"etag" text NOT NULL,
	"text" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "stages" (
	"name" text PRIMARY KEY NOT NULL,
	"position" integer NOT NULL,
	"hosts" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "versions" (
	"api" integer NOT NULL,
	"version" text NOT NULL,
	"revision" integer NOT NULL,
	CONSTRAINT "versions_api_version_pk" PRIMARY KEY("api","version")
);
--> statement-breakpoint
ALTER TABLE "approvals" ADD CONSTRAINT "approvals_promotion_promotions_id_fk" FOREIGN KEY ("promotion") REFERENCES "public"."promotions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "findings" ADD CONSTRAINT "findings_revision_revisions_id_fk" FOREIGN KEY ("revision") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "intakes" ADD CONSTRAINT "intakes_sha256_blobs_sha256_fk" FOREIGN KEY ("sha256") REFERENCES "public"."blobs"("sha256") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "keys" ADD CONSTRAINT "keys_placement_placements_id_fk" FOREIGN KEY ("placement") REFERENCES "public"."placements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_revision_revisions_id_fk" FOREIGN KEY ("revision") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_gateway_gateways_name_fk" FOREIGN KEY ("gateway") REFERENCES "public"."gateways"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_sha256_blobs_sha256_fk" FOREIGN KEY ("sha256") REFERENCES "public"."blobs"("sha256") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sessions" ADD CONSTRAINT "sessions_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "snapshots" ADD CONSTRAINT "snapshots_gateway_gateways_name_fk" FOREIGN KEY ("gateway") REFERENCES "public"."gateways"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_revision_revisions_id_fk" FOREIGN KEY ("revision") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "findings_revision_index" ON "findings" USING btree ("revision");--> statement-breakpoint
CREATE INDEX "findings_rule_index" ON "findings" USING btree ("rule");--> statement-breakpoint
CREATE INDEX "ledger_subject_index" ON "ledger" USING btree ("subject");--> statement-breakpoint
CREATE INDEX "placements_api_index" ON "placements" USING btree ("api");--> statement-breakpoint
CREATE INDEX "placements_gateway_index" ON "placements" USING btree ("gateway");--> statement-breakpoint
CREATE UNIQUE INDEX "promotions_one_waiting" ON "promotions" USING btree ("api","version","to_stage") WHERE state = 'waiting';--> statement-breakpoint
CREATE UNIQUE INDEX "revisions_api_number_index" ON "revisions" USING btree ("api","number");--> statement-breakpoint
CREATE INDEX "revisions_sha256_index" ON "revisions" USING btree ("sha256");--> statement-breakpoint
CREATE INDEX "snapshots_gateway_id_index" ON "snapshots" USING btree ("gateway","id");