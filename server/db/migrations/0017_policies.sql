CREATE TABLE "policy_changes" (
	"id" serial PRIMARY KEY NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"policies" jsonb NOT NULL,
	"binding" jsonb NOT NULL,
	"note" text NOT NULL,
	"requested_by_id" integer NOT NULL,
	"requested_at" timestamp with time zone NOT NULL,
	"state" text NOT NULL,
	"approved_by_id" integer,
	"approved_at" timestamp with time zone,
	CONSTRAINT "policy_changes_kind" CHECK ("policy_changes"."kind" in ('organisation', 'stage', 'group')),
	CONSTRAINT "policy_changes_state" CHECK ("policy_changes"."state" in ('waiting', 'under-way', 'done', 'withdrawn'))
);
--> statement-breakpoint
CREATE TABLE "policy_scopes" (
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"generation" integer NOT NULL,
	"policies" jsonb NOT NULL,
	"binding" jsonb NOT NULL,
	"changed_at" timestamp with time zone NOT NULL,
	"changed_by_id" integer NOT NULL,
	CONSTRAINT "policy_scopes_kind_name_pk" PRIMARY KEY("kind","name"),
	CONSTRAINT "policy_scopes_kind" CHECK ("policy_scopes"."kind" in ('organisation', 'stage', 'group')),
	CONSTRAINT "policy_scopes_generation" CHECK ("policy_scopes"."generation" >= 1)
);
--> statement-breakpoint
ALTER TABLE "backends" ADD COLUMN "more" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "policy_changes" ADD CONSTRAINT "policy_changes_requested_by_id_people_id_fk" FOREIGN KEY ("requested_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "policy_changes" ADD CONSTRAINT "policy_changes_approved_by_id_people_id_fk" FOREIGN KEY ("approved_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "policy_scopes" ADD CONSTRAINT "policy_scopes_changed_by_id_people_id_fk" FOREIGN KEY ("changed_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "policy_changes_one_waiting" ON "policy_changes" USING btree ("kind","name") WHERE state in ('waiting', 'under-way');--> statement-breakpoint
CREATE FUNCTION "to_policies"(spec jsonb) RETURNS jsonb LANGUAGE sql IMMUTABLE AS $$
  SELECT CASE
    WHEN spec IS NULL OR jsonb_typeof(spec) <> 'object' OR spec ? 'policies' THEN spec
    ELSE (spec - 'key' - 'limit') || jsonb_build_object('policies',
      CASE
        WHEN NOT spec ? 'key' THEN '{}'::jsonb
        WHEN (spec #>> '{key,required}')::boolean THEN jsonb_build_object('authentication', jsonb_build_object(
          'kind', 'credentials',
          'anyOf', jsonb_build_array(jsonb_build_object('allOf', jsonb_build_array(
            jsonb_build_object('kind', 'api-key', 'in', 'header', 'name', coalesce(spec #>> '{key,header}', 'X-Api-Key')))))))
        ELSE jsonb_build_object('authentication', jsonb_build_object(
          'kind', 'none',
          'reason', coalesce(nullif(trim(spec #>> '{key,reason}'), ''), 'No reason was given')))
      END ||
      CASE
        WHEN jsonb_typeof(spec -> 'limit') = 'object'
          THEN jsonb_build_object('rate', (spec -> 'limit') || '{"per": "client"}')
        ELSE '{}'::jsonb
      END)
  END
$$;--> statement-breakpoint
CREATE FUNCTION "to_policies_of_all"(items jsonb) RETURNS jsonb LANGUAGE sql IMMUTABLE AS $$
  SELECT coalesce(jsonb_agg(
    CASE WHEN item ? 'spec' THEN item || jsonb_build_object('spec', "to_policies"(item -> 'spec')) ELSE item END
    ORDER BY n), '[]')
  FROM jsonb_array_elements(items) WITH ORDINALITY AS each(item, n)
$$;--> statement-breakpoint
UPDATE "placements" SET "spec" = "to_policies"("spec");--> statement-breakpoint
UPDATE "promotions" SET "wanted" = "to_policies"("wanted") WHERE "wanted" IS NOT NULL;--> statement-breakpoint
UPDATE "promotions" SET "evidence" = jsonb_set("evidence", '{plan}', "to_policies_of_all"("evidence" -> 'plan'))
  WHERE jsonb_typeof("evidence" -> 'plan') = 'array';--> statement-breakpoint
UPDATE "rollouts" SET "change" = jsonb_set("change", '{wanted}', "to_policies_of_all"("change" -> 'wanted'))
  WHERE jsonb_typeof("change" -> 'wanted') = 'array';--> statement-breakpoint
UPDATE "rollouts" SET "change" = jsonb_set("change", '{promotion,evidence,plan}', "to_policies_of_all"("change" #> '{promotion,evidence,plan}'))
  WHERE jsonb_typeof("change" #> '{promotion,evidence,plan}') = 'array';--> statement-breakpoint
DROP FUNCTION "to_policies_of_all"(jsonb);--> statement-breakpoint
DROP FUNCTION "to_policies"(jsonb);
--> statement-breakpoint
-- Rollouts of policies belong to no API: everybody sees them, but for the placements they are about.
DROP POLICY seen ON "rollouts";--> statement-breakpoint
CREATE POLICY seen ON "rollouts" USING (
  ("api_id" IS NULL AND "change" ->> 'kind' = 'policies')
  OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = "rollouts"."api_id")) WITH CHECK (true);
