CREATE TABLE "assignments" (
	"api" integer NOT NULL,
	"key" text NOT NULL,
	"person" text NOT NULL,
	CONSTRAINT "assignments_api_key_pk" PRIMARY KEY("api","key")
);
--> statement-breakpoint
CREATE TABLE "baselines" (
	"api" integer NOT NULL,
	"key" text NOT NULL,
	"rule" text NOT NULL,
	"accepted_at" timestamp with time zone NOT NULL,
	"accepted_by" text NOT NULL,
	CONSTRAINT "baselines_api_key_pk" PRIMARY KEY("api","key")
);
--> statement-breakpoint
CREATE TABLE "comments" (
	"id" serial PRIMARY KEY NOT NULL,
	"api" integer NOT NULL,
	"key" text NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"text" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "rulebooks" (
	"slug" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"team" text,
	"text" text NOT NULL,
	"saves" integer NOT NULL,
	"saved_at" timestamp with time zone NOT NULL,
	"saved_by" text NOT NULL,
	"shown" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
CREATE TABLE "tallies" (
	"id" serial PRIMARY KEY NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"api" integer NOT NULL,
	"revision" integer NOT NULL,
	"edition" integer NOT NULL,
	"must" integer NOT NULL,
	"should" integer NOT NULL,
	"may" integer NOT NULL,
	"waived" integer NOT NULL,
	"accepted" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "waivers" (
	"id" serial PRIMARY KEY NOT NULL,
	"rule" text NOT NULL,
	"api" integer,
	"operation" text,
	"key" text,
	"reason" text NOT NULL,
	"until" text NOT NULL,
	"state" text NOT NULL,
	"asked_by" text NOT NULL,
	"asked_at" timestamp with time zone NOT NULL,
	"decided_by" text,
	"decided_at" timestamp with time zone,
	"note" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "estate" jsonb;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "end_line" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "end_column" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "key" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "operation" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "becomes" text;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "since" text;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "first_seen" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "standing" text DEFAULT 'open' NOT NULL;--> statement-breakpoint
ALTER TABLE "findings" ADD COLUMN "waiver" integer;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "waived" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "accepted" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "reach" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "faults" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "checked_on" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "assignments" ADD CONSTRAINT "assignments_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "baselines" ADD CONSTRAINT "baselines_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comments" ADD CONSTRAINT "comments_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "tallies" ADD CONSTRAINT "tallies_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "waivers" ADD CONSTRAINT "waivers_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "comments_api_key_index" ON "comments" USING btree ("api","key");--> statement-breakpoint
CREATE INDEX "tallies_api_at_index" ON "tallies" USING btree ("api","at");--> statement-breakpoint
CREATE INDEX "waivers_api_index" ON "waivers" USING btree ("api");--> statement-breakpoint
CREATE INDEX "waivers_rule_index" ON "waivers" USING btree ("rule");
--> statement-breakpoint
DROP TABLE "editions" CASCADE;
--> statement-breakpoint
CREATE TABLE "editions" (
	"number" integer PRIMARY KEY NOT NULL,
	"rulebook" text NOT NULL,
	"text" text NOT NULL,
	"content" jsonb NOT NULL,
	"note" text NOT NULL,
	"published_at" timestamp with time zone NOT NULL,
	"published_by" text NOT NULL
);
--> statement-breakpoint
ALTER TABLE "editions" ADD CONSTRAINT "editions_rulebook_rulebooks_slug_fk" FOREIGN KEY ("rulebook") REFERENCES "public"."rulebooks"("slug") ON DELETE no action ON UPDATE no action;
