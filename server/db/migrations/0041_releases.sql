CREATE TABLE "releases" (
	"id" serial PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"note" text NOT NULL,
	"from_stage" text NOT NULL,
	"to_stage" text NOT NULL,
	"state" text NOT NULL,
	"made_by_id" integer NOT NULL,
	"made_at" timestamp with time zone NOT NULL,
	"api_ids" integer[] NOT NULL,
	CONSTRAINT "releases_state" CHECK ("releases"."state" in ('waiting', 'under-way', 'done'))
);
--> statement-breakpoint
CREATE TABLE "rollout_requests" (
	"rollout_id" integer NOT NULL,
	"promotion_id" integer NOT NULL,
	CONSTRAINT "rollout_requests_rollout_id_promotion_id_pk" PRIMARY KEY("rollout_id","promotion_id")
);
--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "release_id" integer;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "api_ids" integer[];--> statement-breakpoint
ALTER TABLE "releases" ADD CONSTRAINT "releases_made_by_id_people_id_fk" FOREIGN KEY ("made_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_requests" ADD CONSTRAINT "rollout_requests_rollout_id_rollouts_id_fk" FOREIGN KEY ("rollout_id") REFERENCES "public"."rollouts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_requests" ADD CONSTRAINT "rollout_requests_promotion_id_promotions_id_fk" FOREIGN KEY ("promotion_id") REFERENCES "public"."promotions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "rollout_requests_promotion_id_index" ON "rollout_requests" USING btree ("promotion_id");--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_release_id_releases_id_fk" FOREIGN KEY ("release_id") REFERENCES "public"."releases"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "promotions_release_id_index" ON "promotions" USING btree ("release_id");--> statement-breakpoint
INSERT INTO "rollout_requests" ("rollout_id", "promotion_id")
  SELECT r.id, p.id FROM "rollouts" r JOIN "promotions" p ON p.id = (r.change -> 'promotion' ->> 'id')::int;--> statement-breakpoint
ALTER TABLE "rollout_requests" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "rollout_requests" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "rollout_requests"
  USING (EXISTS (SELECT 1 FROM "promotions" p WHERE p.id = promotion_id)) WITH CHECK (true);--> statement-breakpoint
-- A release tells of every API in it: who may not see one of them sees nothing of it.
CREATE FUNCTION "all_seen"(integer[]) RETURNS boolean LANGUAGE sql STABLE AS $$
  SELECT NOT EXISTS (SELECT 1 FROM unnest($1) AS one(id) WHERE NOT EXISTS (SELECT 1 FROM "apis" a WHERE a.id = one.id))
$$;--> statement-breakpoint
ALTER TABLE "releases" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "releases" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "releases" USING ("all_seen"(api_ids)) WITH CHECK (true);--> statement-breakpoint
DROP POLICY seen ON "rollouts";--> statement-breakpoint
CREATE POLICY seen ON "rollouts" USING (
  ("api_id" IS NULL AND "change" ->> 'kind' IN ('policies', 'take-off'))
  OR ("api_ids" IS NOT NULL AND "all_seen"("api_ids"))
  OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = "rollouts"."api_id")) WITH CHECK (true);
