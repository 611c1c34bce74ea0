CREATE TABLE "impact_places" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "impact_places_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"impact" uuid NOT NULL,
	"rule" text NOT NULL,
	"api" integer NOT NULL,
	"revision" integer NOT NULL,
	"live" boolean NOT NULL,
	"newest" boolean NOT NULL,
	"kind" text NOT NULL,
	"level" text NOT NULL,
	"message" text NOT NULL,
	"file" text NOT NULL,
	"line" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "impacts" (
	"id" uuid PRIMARY KEY NOT NULL,
	"rulebook" text NOT NULL,
	"text" text NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"state" text NOT NULL,
	"total" integer DEFAULT 0 NOT NULL,
	"done" integer DEFAULT 0 NOT NULL,
	"reused" integer DEFAULT 0 NOT NULL,
	"trouble" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "judgements" (
	"revision" integer NOT NULL,
	"digest" text NOT NULL,
	"places" jsonb NOT NULL,
	CONSTRAINT "judgements_revision_digest_pk" PRIMARY KEY("revision","digest")
);
--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_impact_impacts_id_fk" FOREIGN KEY ("impact") REFERENCES "public"."impacts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "impacts" ADD CONSTRAINT "impacts_rulebook_rulebooks_slug_fk" FOREIGN KEY ("rulebook") REFERENCES "public"."rulebooks"("slug") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "judgements" ADD CONSTRAINT "judgements_revision_revisions_id_fk" FOREIGN KEY ("revision") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "impact_places_impact_rule_index" ON "impact_places" USING btree ("impact","rule");