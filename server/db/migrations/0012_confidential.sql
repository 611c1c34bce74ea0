CREATE TABLE "api_viewers" (
	"api" integer NOT NULL,
	"person" text NOT NULL,
	CONSTRAINT "api_viewers_api_person_pk" PRIMARY KEY("api","person")
);
--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "confidential" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "ledger" ADD COLUMN "api" integer;--> statement-breakpoint
ALTER TABLE "placement_sites" ADD COLUMN "routes" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "api" integer;--> statement-breakpoint
ALTER TABLE "api_viewers" ADD CONSTRAINT "api_viewers_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "api_viewers" ADD CONSTRAINT "api_viewers_person_people_name_fk" FOREIGN KEY ("person") REFERENCES "public"."people"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "ledger" ADD CONSTRAINT "ledger_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "ledger_api_index" ON "ledger" USING btree ("api");--> statement-breakpoint
ALTER TABLE "gateways" DROP COLUMN "routes";--> statement-breakpoint
-- Which API an entry is about was not kept before. Entries are not changed: this column is no part of what is hashed.
ALTER TABLE "ledger" DISABLE TRIGGER ledger_keeps_rows;--> statement-breakpoint
UPDATE "ledger" SET "api" = (
  SELECT a.id FROM "apis" a
  WHERE "ledger".subject = a.slug OR "ledger".after ->> 'api' = a.slug OR "ledger".subject LIKE a.slug || '-%'
  ORDER BY length(a.slug) DESC LIMIT 1)
WHERE split_part(action, '.', 1) NOT IN ('product', 'organisation', 'stages', 'host', 'group', 'gateway', 'person', 'rulebook', 'token')
  AND action <> 'fix.proposed';--> statement-breakpoint
ALTER TABLE "ledger" ENABLE TRIGGER ledger_keeps_rows;--> statement-breakpoint
UPDATE "rollouts" SET "api" = coalesce(
  (change #>> '{wanted,0,api}')::int,
  (SELECT p.api FROM "placements" p WHERE p.id = change ->> 'placement'),
  (SELECT l.api FROM "ledger" l WHERE l.subject = change ->> 'placement' AND l.api IS NOT NULL LIMIT 1));--> statement-breakpoint
-- Connections say whose eyes they read with: elm.viewer is a person's name, or * for governance and the product's own
-- work; elm.team is the person's team. Where nothing is said, nothing confidential is seen.
ALTER TABLE "apis" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "apis" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "apis" USING (
  NOT confidential
  OR current_setting('elm.viewer', true) = '*'
  OR team = current_setting('elm.team', true)
  OR EXISTS (SELECT 1 FROM "api_viewers" v WHERE v.api = id AND v.person = current_setting('elm.viewer', true))) WITH CHECK (true);--> statement-breakpoint
DO $$
DECLARE of text;
BEGIN
  FOREACH of IN ARRAY ARRAY['revisions', 'versions', 'tallies', 'baselines', 'assignments', 'comments', 'impact_places',
    'proposals', 'placements', 'promotions', 'rollouts', 'waivers', 'checks'] LOOP
    EXECUTE format('ALTER TABLE %I ENABLE ROW LEVEL SECURITY', of);
    EXECUTE format('ALTER TABLE %I FORCE ROW LEVEL SECURITY', of);
    EXECUTE format('CREATE POLICY seen ON %1$I USING (%2$s EXISTS (SELECT 1 FROM apis a WHERE a.id = %1$I.api)) WITH CHECK (true)',
      of, CASE WHEN of IN ('waivers', 'checks') THEN 'api IS NULL OR' ELSE '' END);
  END LOOP;
END $$;--> statement-breakpoint
ALTER TABLE "placement_sites" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "placement_sites" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "placement_sites"
  USING (EXISTS (SELECT 1 FROM "placements" p WHERE p.id = placement)) WITH CHECK (true);--> statement-breakpoint
ALTER TABLE "ledger" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "ledger" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY added ON "ledger" FOR INSERT WITH CHECK (true);--> statement-breakpoint
CREATE POLICY seen ON "ledger" FOR SELECT USING (api IS NULL OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api));
