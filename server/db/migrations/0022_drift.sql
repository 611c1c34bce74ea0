CREATE TABLE "drift" (
	"id" serial PRIMARY KEY NOT NULL,
	"account" text NOT NULL,
	"api_id" integer,
	"placement" text NOT NULL,
	"version" text NOT NULL,
	"stage" text NOT NULL,
	"group" text NOT NULL,
	"gateway" text NOT NULL,
	"where" text NOT NULL,
	"what" text NOT NULL,
	"ledger" text NOT NULL,
	"runs" text NOT NULL,
	"operations" jsonb NOT NULL,
	"cause" jsonb NOT NULL,
	"opened_at" timestamp with time zone NOT NULL,
	"changed_at" timestamp with time zone NOT NULL,
	"closed_at" timestamp with time zone,
	"resolution" text,
	"closed_by" text DEFAULT '' NOT NULL,
	"rollout_id" integer,
	"accepted_until" timestamp with time zone,
	"accepted_by_id" integer,
	"accepted_why" text DEFAULT '' NOT NULL,
	"halted" text DEFAULT '' NOT NULL,
	CONSTRAINT "drift_account" CHECK ("drift"."account" in ('gateway', 'behaviour', 'callers', 'source')),
	CONSTRAINT "drift_resolution" CHECK ("drift"."resolution" in ('put-back', 'kept', 'replaced', 'removed', 'by-hand', 'gone')),
	CONSTRAINT "drift_resolved" CHECK ((closed_at is null) = (resolution is null))
);
--> statement-breakpoint
CREATE TABLE "drift_reactions" (
	"group" text NOT NULL,
	"stage" text NOT NULL,
	"reaction" text NOT NULL,
	"minutes" integer NOT NULL,
	"set_by_id" integer NOT NULL,
	"set_at" timestamp with time zone NOT NULL,
	CONSTRAINT "drift_reactions_group_stage_pk" PRIMARY KEY("group","stage"),
	CONSTRAINT "drift_reactions_reaction" CHECK ("drift_reactions"."reaction" in ('report', 'ask', 'put-back'))
);
--> statement-breakpoint
ALTER TABLE "drift" ADD CONSTRAINT "drift_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "drift" ADD CONSTRAINT "drift_rollout_id_rollouts_id_fk" FOREIGN KEY ("rollout_id") REFERENCES "public"."rollouts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "drift" ADD CONSTRAINT "drift_accepted_by_id_people_id_fk" FOREIGN KEY ("accepted_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "drift_reactions" ADD CONSTRAINT "drift_reactions_group_gateway_groups_name_fk" FOREIGN KEY ("group") REFERENCES "public"."gateway_groups"("name") ON DELETE cascade ON UPDATE cascade;--> statement-breakpoint
ALTER TABLE "drift_reactions" ADD CONSTRAINT "drift_reactions_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE cascade ON UPDATE cascade;--> statement-breakpoint
ALTER TABLE "drift_reactions" ADD CONSTRAINT "drift_reactions_set_by_id_people_id_fk" FOREIGN KEY ("set_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "drift_placement_index" ON "drift" USING btree ("placement") WHERE closed_at is null;--> statement-breakpoint
CREATE INDEX "drift_open" ON "drift" USING btree ("gateway") WHERE closed_at is null;--> statement-breakpoint
CREATE INDEX "drift_closed_at_index" ON "drift" USING btree ("closed_at");--> statement-breakpoint
CREATE INDEX "drift_api_id_index" ON "drift" USING btree ("api_id");--> statement-breakpoint
ALTER TABLE "placement_sites" DROP COLUMN "differences";--> statement-breakpoint
ALTER TABLE "drift" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "drift" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "drift"
  USING (api_id IS NULL OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);
