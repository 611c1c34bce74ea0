CREATE TABLE "gateway_groups" (
	"name" text PRIMARY KEY NOT NULL,
	"serves" text NOT NULL,
	"audiences" text[] NOT NULL,
	"position" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "hosts" (
	"name" text PRIMARY KEY NOT NULL,
	"stage" text NOT NULL,
	"audiences" text[] NOT NULL
);
--> statement-breakpoint
CREATE TABLE "ledger_nodes" (
	"level" integer NOT NULL,
	"index" bigint NOT NULL,
	"hash" text NOT NULL,
	CONSTRAINT "ledger_nodes_level_index_pk" PRIMARY KEY("level","index")
);
--> statement-breakpoint
CREATE TABLE "placement_sites" (
	"placement" text NOT NULL,
	"gateway" text NOT NULL,
	"checked_at" timestamp with time zone NOT NULL,
	"differences" jsonb NOT NULL,
	CONSTRAINT "placement_sites_placement_gateway_pk" PRIMARY KEY("placement","gateway")
);
--> statement-breakpoint
CREATE TABLE "rollout_placements" (
	"rollout" integer NOT NULL,
	"placement" text NOT NULL,
	CONSTRAINT "rollout_placements_rollout_placement_pk" PRIMARY KEY("rollout","placement")
);
--> statement-breakpoint
CREATE TABLE "rollout_steps" (
	"rollout" integer NOT NULL,
	"gateway" text NOT NULL,
	"position" integer NOT NULL,
	"state" text NOT NULL,
	"before" text,
	"detail" text DEFAULT '' NOT NULL,
	"attempts" integer DEFAULT 0 NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "rollout_steps_rollout_gateway_pk" PRIMARY KEY("rollout","gateway")
);
--> statement-breakpoint
CREATE TABLE "rollouts" (
	"id" serial PRIMARY KEY NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"action" text NOT NULL,
	"title" text NOT NULL,
	"change" jsonb NOT NULL,
	"state" text NOT NULL,
	"trouble" jsonb,
	"ended_at" timestamp with time zone
);
--> statement-breakpoint
ALTER TABLE "placements" DROP CONSTRAINT "placements_gateway_gateways_name_fk";
--> statement-breakpoint
DROP INDEX "placements_gateway_index";--> statement-breakpoint
DROP INDEX "promotions_one_waiting";--> statement-breakpoint
ALTER TABLE "approvals" ADD COLUMN "basis" jsonb;--> statement-breakpoint
-- Each gateway that is there becomes a group of its own; people put them together afterwards.
INSERT INTO "gateway_groups" ("name", "serves", "audiences", "position") SELECT "name", "serves", ARRAY['private', 'partner', 'public'], "position" FROM "gateways";--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "group" text;--> statement-breakpoint
UPDATE "gateways" SET "group" = "name";--> statement-breakpoint
ALTER TABLE "gateways" ALTER COLUMN "group" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "keys" ADD COLUMN "state" text DEFAULT 'active' NOT NULL;--> statement-breakpoint
ALTER TABLE "placements" ADD COLUMN "group" text;--> statement-breakpoint
UPDATE "placements" SET "group" = "gateway";--> statement-breakpoint
ALTER TABLE "placements" ALTER COLUMN "group" SET NOT NULL;--> statement-breakpoint
INSERT INTO "placement_sites" ("placement", "gateway", "checked_at", "differences") SELECT "id", "gateway", "checked_at", "differences" FROM "placements" WHERE "checked_at" IS NOT NULL;--> statement-breakpoint
INSERT INTO "hosts" ("name", "stage", "audiences") SELECT h."value", s."name", array_agg(h."key" ORDER BY h."key") FROM "stages" s, jsonb_each_text(s."hosts") h GROUP BY h."value", s."name", s."position" ORDER BY s."position" ON CONFLICT DO NOTHING;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "kind" text DEFAULT 'promotion' NOT NULL;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "placement" text;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "wanted" jsonb;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "override" jsonb;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "confirmed_by" text;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "confirmed_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "stages" ADD COLUMN "backends" jsonb DEFAULT '{"schemes":["http","https"],"hosts":["*"],"networks":["0.0.0.0/0","::/0"]}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "hosts" ADD CONSTRAINT "hosts_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placement_sites" ADD CONSTRAINT "placement_sites_placement_placements_id_fk" FOREIGN KEY ("placement") REFERENCES "public"."placements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placement_sites" ADD CONSTRAINT "placement_sites_gateway_gateways_name_fk" FOREIGN KEY ("gateway") REFERENCES "public"."gateways"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_placements" ADD CONSTRAINT "rollout_placements_rollout_rollouts_id_fk" FOREIGN KEY ("rollout") REFERENCES "public"."rollouts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD CONSTRAINT "rollout_steps_rollout_rollouts_id_fk" FOREIGN KEY ("rollout") REFERENCES "public"."rollouts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD CONSTRAINT "rollout_steps_gateway_gateways_name_fk" FOREIGN KEY ("gateway") REFERENCES "public"."gateways"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "hosts_stage_index" ON "hosts" USING btree ("stage");--> statement-breakpoint
CREATE INDEX "rollout_placements_placement_index" ON "rollout_placements" USING btree ("placement");--> statement-breakpoint
CREATE INDEX "rollouts_unfinished" ON "rollouts" USING btree ("id") WHERE ended_at is null;--> statement-breakpoint
ALTER TABLE "gateways" ADD CONSTRAINT "gateways_group_gateway_groups_name_fk" FOREIGN KEY ("group") REFERENCES "public"."gateway_groups"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_group_gateway_groups_name_fk" FOREIGN KEY ("group") REFERENCES "public"."gateway_groups"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "placements_group_index" ON "placements" USING btree ("group");--> statement-breakpoint
CREATE UNIQUE INDEX "promotions_one_change_waiting" ON "promotions" USING btree ("placement") WHERE state in ('waiting', 'under-way') and kind <> 'promotion';--> statement-breakpoint
CREATE UNIQUE INDEX "promotions_one_waiting" ON "promotions" USING btree ("api","version","to_stage") WHERE state in ('waiting', 'under-way') and kind = 'promotion';--> statement-breakpoint
ALTER TABLE "placements" DROP COLUMN "gateway";--> statement-breakpoint
ALTER TABLE "placements" DROP COLUMN "checked_at";--> statement-breakpoint
ALTER TABLE "placements" DROP COLUMN "differences";--> statement-breakpoint
ALTER TABLE "stages" DROP COLUMN "hosts";
--> statement-breakpoint
-- The tree over the ledger only grows, as the ledger does.
CREATE TRIGGER ledger_nodes_keep_rows BEFORE UPDATE OR DELETE ON "ledger_nodes" FOR EACH ROW EXECUTE FUNCTION refuse_ledger_change();--> statement-breakpoint
CREATE TRIGGER ledger_nodes_keep_all BEFORE TRUNCATE ON "ledger_nodes" FOR EACH STATEMENT EXECUTE FUNCTION refuse_ledger_change();
