CREATE TABLE "teams" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"position" integer NOT NULL,
	CONSTRAINT "teams_name_unique" UNIQUE("name")
);--> statement-breakpoint
-- Teams in the order the organisation gave them, then those that something still names.
INSERT INTO "teams" ("name", "position")
SELECT name, row_number() OVER (ORDER BY min(place), name) - 1 FROM (
  SELECT t.name, t.place FROM "settings", jsonb_array_elements_text("teams") WITH ORDINALITY AS t(name, place)
  UNION ALL SELECT team, 100000 FROM "apis" UNION ALL SELECT team, 100000 FROM "people" UNION ALL SELECT team, 100000 FROM "rulebooks"
  UNION ALL SELECT team, 100000 FROM "checks" UNION ALL SELECT team, 100000 FROM "batches"
) AS named WHERE name <> '' GROUP BY name;--> statement-breakpoint
-- People are referred to by id. A name that nobody has any more gets an account that cannot sign in.
INSERT INTO "people" ("name", "display_name", "role", "password_hash", "ended_at")
SELECT DISTINCT name, name, 'reader', '', now() FROM (
  SELECT "person" AS name FROM "api_viewers"
  UNION ALL SELECT "saved_by" AS name FROM "revisions"
  UNION ALL SELECT "asked_by" AS name FROM "waivers"
  UNION ALL SELECT "decided_by" AS name FROM "waivers"
  UNION ALL SELECT "accepted_by" AS name FROM "baselines"
  UNION ALL SELECT "person" AS name FROM "assignments"
  UNION ALL SELECT "by" AS name FROM "comments"
  UNION ALL SELECT "by" AS name FROM "checks"
  UNION ALL SELECT "by" AS name FROM "proposals"
  UNION ALL SELECT "decided_by" AS name FROM "proposals"
  UNION ALL SELECT "applied_by" AS name FROM "placements"
  UNION ALL SELECT "by" AS name FROM "rollouts"
  UNION ALL SELECT "requested_by" AS name FROM "promotions"
  UNION ALL SELECT "confirmed_by" AS name FROM "promotions"
  UNION ALL SELECT "owner" AS name FROM "apis"
  UNION ALL SELECT "by" AS name FROM "impacts"
  UNION ALL SELECT "by" AS name FROM "approvals"
  UNION ALL SELECT "by" AS name FROM "batches"
  UNION ALL SELECT "accepted_by" AS name FROM "batches"
  UNION ALL SELECT "by" AS name FROM "intakes"
  UNION ALL SELECT "saved_by" AS name FROM "rulebooks"
  UNION ALL SELECT "published_by" AS name FROM "editions"
) AS named WHERE name <> '' AND NOT EXISTS (SELECT 1 FROM "people" p WHERE p.name = named.name);--> statement-breakpoint
DROP POLICY seen ON "apis";--> statement-breakpoint
ALTER TABLE "apis" NO FORCE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "api_viewers" DROP CONSTRAINT "api_viewers_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "api_viewers" DROP CONSTRAINT "api_viewers_person_people_name_fk";--> statement-breakpoint
ALTER TABLE "approvals" DROP CONSTRAINT "approvals_promotion_promotions_id_fk";--> statement-breakpoint
ALTER TABLE "assignments" DROP CONSTRAINT "assignments_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "baselines" DROP CONSTRAINT "baselines_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "checks" DROP CONSTRAINT "checks_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "comments" DROP CONSTRAINT "comments_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "estate_names" DROP CONSTRAINT "estate_names_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "findings" DROP CONSTRAINT "findings_revision_revisions_id_fk";--> statement-breakpoint
ALTER TABLE "impact_places" DROP CONSTRAINT "impact_places_impact_impacts_id_fk";--> statement-breakpoint
ALTER TABLE "impact_places" DROP CONSTRAINT "impact_places_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "intakes" DROP CONSTRAINT "intakes_batch_batches_id_fk";--> statement-breakpoint
ALTER TABLE "judgements" DROP CONSTRAINT "judgements_revision_revisions_id_fk";--> statement-breakpoint
ALTER TABLE "keys" DROP CONSTRAINT "keys_placement_placements_id_fk";--> statement-breakpoint
ALTER TABLE "ledger" DROP CONSTRAINT "ledger_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "parts" DROP CONSTRAINT "parts_revision_revisions_id_fk";--> statement-breakpoint
ALTER TABLE "placement_sites" DROP CONSTRAINT "placement_sites_placement_placements_id_fk";--> statement-breakpoint
ALTER TABLE "placements" DROP CONSTRAINT "placements_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "placements" DROP CONSTRAINT "placements_revision_revisions_id_fk";--> statement-breakpoint
ALTER TABLE "promotions" DROP CONSTRAINT "promotions_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "proposals" DROP CONSTRAINT "proposals_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "revision_files" DROP CONSTRAINT "revision_files_revision_revisions_id_fk";--> statement-breakpoint
ALTER TABLE "revisions" DROP CONSTRAINT "revisions_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "rollout_placements" DROP CONSTRAINT "rollout_placements_rollout_rollouts_id_fk";--> statement-breakpoint
ALTER TABLE "rollout_steps" DROP CONSTRAINT "rollout_steps_rollout_rollouts_id_fk";--> statement-breakpoint
ALTER TABLE "rollouts" DROP CONSTRAINT "rollouts_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "search_entries" DROP CONSTRAINT "search_entries_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "sessions" DROP CONSTRAINT "sessions_person_people_id_fk";--> statement-breakpoint
ALTER TABLE "tallies" DROP CONSTRAINT "tallies_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "tokens" DROP CONSTRAINT "tokens_person_people_id_fk";--> statement-breakpoint
ALTER TABLE "versions" DROP CONSTRAINT "versions_api_apis_id_fk";--> statement-breakpoint
ALTER TABLE "versions" DROP CONSTRAINT "versions_revision_revisions_id_fk";--> statement-breakpoint
ALTER TABLE "waivers" DROP CONSTRAINT "waivers_api_apis_id_fk";--> statement-breakpoint
DROP INDEX "comments_api_key_index";--> statement-breakpoint
DROP INDEX "findings_revision_level_line_index";--> statement-breakpoint
DROP INDEX "findings_rule_revision_index";--> statement-breakpoint
DROP INDEX "findings_waiver_index";--> statement-breakpoint
DROP INDEX "impact_places_impact_rule_index";--> statement-breakpoint
DROP INDEX "intakes_batch_index";--> statement-breakpoint
DROP INDEX "ledger_api_index";--> statement-breakpoint
DROP INDEX "parts_revision_kind_name_index";--> statement-breakpoint
DROP INDEX "placements_api_index";--> statement-breakpoint
DROP INDEX "proposals_api_index";--> statement-breakpoint
DROP INDEX "revisions_api_number_index";--> statement-breakpoint
DROP INDEX "rollout_placements_placement_index";--> statement-breakpoint
DROP INDEX "search_entries_api_index";--> statement-breakpoint
DROP INDEX "tallies_api_id_index";--> statement-breakpoint
DROP INDEX "waivers_api_index";--> statement-breakpoint
DROP INDEX "findings_set_aside";--> statement-breakpoint
ALTER TABLE "api_viewers" DROP CONSTRAINT "api_viewers_api_person_pk";--> statement-breakpoint
ALTER TABLE "approvals" DROP CONSTRAINT "approvals_promotion_by_pk";--> statement-breakpoint
ALTER TABLE "assignments" DROP CONSTRAINT "assignments_api_key_pk";--> statement-breakpoint
ALTER TABLE "backends" DROP CONSTRAINT "backends_api_stage_name_pk";--> statement-breakpoint
ALTER TABLE "baselines" DROP CONSTRAINT "baselines_api_key_pk";--> statement-breakpoint
ALTER TABLE "judgements" DROP CONSTRAINT "judgements_revision_digest_pk";--> statement-breakpoint
ALTER TABLE "keys" DROP CONSTRAINT "keys_placement_name_pk";--> statement-breakpoint
ALTER TABLE "parts" DROP CONSTRAINT "parts_revision_kind_position_pk";--> statement-breakpoint
ALTER TABLE "placement_sites" DROP CONSTRAINT "placement_sites_placement_gateway_pk";--> statement-breakpoint
ALTER TABLE "revision_files" DROP CONSTRAINT "revision_files_revision_position_pk";--> statement-breakpoint
ALTER TABLE "rollout_placements" DROP CONSTRAINT "rollout_placements_rollout_placement_pk";--> statement-breakpoint
ALTER TABLE "rollout_steps" DROP CONSTRAINT "rollout_steps_rollout_gateway_pk";--> statement-breakpoint
ALTER TABLE "versions" DROP CONSTRAINT "versions_api_version_pk";--> statement-breakpoint
ALTER TABLE "sessions" RENAME COLUMN "person" TO "person_id";--> statement-breakpoint
ALTER TABLE "tokens" RENAME COLUMN "person" TO "person_id";--> statement-breakpoint
ALTER TABLE "api_viewers" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "estate_names" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "revisions" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "search_entries" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "waivers" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "baselines" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "assignments" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "comments" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "tallies" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "tallies" RENAME COLUMN "revision" TO "revision_number";--> statement-breakpoint
ALTER TABLE "versions" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "versions" RENAME COLUMN "revision" TO "revision_id";--> statement-breakpoint
ALTER TABLE "impact_places" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "impact_places" RENAME COLUMN "revision" TO "revision_number";--> statement-breakpoint
ALTER TABLE "impact_places" RENAME COLUMN "impact" TO "impact_id";--> statement-breakpoint
ALTER TABLE "checks" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "proposals" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "proposals" RENAME COLUMN "revision" TO "revision_number";--> statement-breakpoint
ALTER TABLE "placements" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "placements" RENAME COLUMN "revision" TO "revision_id";--> statement-breakpoint
ALTER TABLE "placements" RENAME COLUMN "edition" TO "generation";--> statement-breakpoint
ALTER TABLE "rollouts" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "promotions" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "promotions" RENAME COLUMN "placement" TO "placement_id";--> statement-breakpoint
ALTER TABLE "ledger" RENAME COLUMN "api" TO "api_id";--> statement-breakpoint
ALTER TABLE "revision_files" RENAME COLUMN "revision" TO "revision_id";--> statement-breakpoint
ALTER TABLE "parts" RENAME COLUMN "revision" TO "revision_id";--> statement-breakpoint
ALTER TABLE "findings" RENAME COLUMN "revision" TO "revision_id";--> statement-breakpoint
ALTER TABLE "findings" RENAME COLUMN "waiver" TO "waiver_id";--> statement-breakpoint
ALTER TABLE "findings" RENAME COLUMN "standing" TO "status";--> statement-breakpoint
ALTER TABLE "judgements" RENAME COLUMN "revision" TO "revision_id";--> statement-breakpoint
ALTER TABLE "apis" RENAME COLUMN "latest_revision" TO "latest_number";--> statement-breakpoint
ALTER TABLE "approvals" RENAME COLUMN "promotion" TO "promotion_id";--> statement-breakpoint
ALTER TABLE "intakes" RENAME COLUMN "batch" TO "batch_id";--> statement-breakpoint
ALTER TABLE "intakes" RENAME COLUMN "problems" TO "diagnostics";--> statement-breakpoint
ALTER TABLE "placement_sites" RENAME COLUMN "placement" TO "placement_id";--> statement-breakpoint
ALTER TABLE "rollout_placements" RENAME COLUMN "placement" TO "placement_id";--> statement-breakpoint
ALTER TABLE "rollout_placements" RENAME COLUMN "rollout" TO "rollout_id";--> statement-breakpoint
ALTER TABLE "keys" RENAME COLUMN "placement" TO "placement_id";--> statement-breakpoint
ALTER TABLE "rollout_steps" RENAME COLUMN "rollout" TO "rollout_id";--> statement-breakpoint
ALTER TABLE "api_viewers" ADD COLUMN "person_id" integer;--> statement-breakpoint
UPDATE "api_viewers" AS r SET "person_id" = n.id FROM "people" AS n WHERE n.name = r."person";--> statement-breakpoint
ALTER TABLE "api_viewers" ALTER COLUMN "person_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "api_viewers" DROP COLUMN "person";--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "saved_by_id" integer;--> statement-breakpoint
UPDATE "revisions" AS r SET "saved_by_id" = n.id FROM "people" AS n WHERE n.name = r."saved_by";--> statement-breakpoint
ALTER TABLE "revisions" ALTER COLUMN "saved_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "revisions" DROP COLUMN "saved_by";--> statement-breakpoint
ALTER TABLE "waivers" ADD COLUMN "asked_by_id" integer;--> statement-breakpoint
UPDATE "waivers" AS r SET "asked_by_id" = n.id FROM "people" AS n WHERE n.name = r."asked_by";--> statement-breakpoint
ALTER TABLE "waivers" ALTER COLUMN "asked_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "waivers" DROP COLUMN "asked_by";--> statement-breakpoint
ALTER TABLE "waivers" ADD COLUMN "decided_by_id" integer;--> statement-breakpoint
UPDATE "waivers" AS r SET "decided_by_id" = n.id FROM "people" AS n WHERE n.name = r."decided_by";--> statement-breakpoint
ALTER TABLE "waivers" DROP COLUMN "decided_by";--> statement-breakpoint
ALTER TABLE "baselines" ADD COLUMN "accepted_by_id" integer;--> statement-breakpoint
UPDATE "baselines" AS r SET "accepted_by_id" = n.id FROM "people" AS n WHERE n.name = r."accepted_by";--> statement-breakpoint
ALTER TABLE "baselines" ALTER COLUMN "accepted_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "baselines" DROP COLUMN "accepted_by";--> statement-breakpoint
ALTER TABLE "assignments" ADD COLUMN "assignee_id" integer;--> statement-breakpoint
UPDATE "assignments" AS r SET "assignee_id" = n.id FROM "people" AS n WHERE n.name = r."person";--> statement-breakpoint
ALTER TABLE "assignments" ALTER COLUMN "assignee_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "assignments" DROP COLUMN "person";--> statement-breakpoint
ALTER TABLE "comments" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "comments" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "comments" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "comments" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "checks" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "checks" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "checks" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "checks" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "checks" ADD COLUMN "team_id" integer;--> statement-breakpoint
UPDATE "checks" AS r SET "team_id" = n.id FROM "teams" AS n WHERE n.name = r."team";--> statement-breakpoint
ALTER TABLE "checks" DROP COLUMN "team";--> statement-breakpoint
ALTER TABLE "proposals" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "proposals" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "proposals" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "proposals" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "proposals" ADD COLUMN "decided_by_id" integer;--> statement-breakpoint
UPDATE "proposals" AS r SET "decided_by_id" = n.id FROM "people" AS n WHERE n.name = r."decided_by";--> statement-breakpoint
ALTER TABLE "proposals" DROP COLUMN "decided_by";--> statement-breakpoint
ALTER TABLE "backends" ADD COLUMN "api_id" integer;--> statement-breakpoint
UPDATE "backends" AS r SET "api_id" = n.id FROM "apis" AS n WHERE n.slug = r."api";--> statement-breakpoint
DELETE FROM "backends" WHERE "api_id" IS NULL;--> statement-breakpoint
ALTER TABLE "backends" ALTER COLUMN "api_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "backends" DROP COLUMN "api";--> statement-breakpoint
ALTER TABLE "placements" ADD COLUMN "applied_by_id" integer;--> statement-breakpoint
UPDATE "placements" AS r SET "applied_by_id" = n.id FROM "people" AS n WHERE n.name = r."applied_by";--> statement-breakpoint
ALTER TABLE "placements" ALTER COLUMN "applied_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "placements" DROP COLUMN "applied_by";--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "rollouts" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "rollouts" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "requested_by_id" integer;--> statement-breakpoint
UPDATE "promotions" AS r SET "requested_by_id" = n.id FROM "people" AS n WHERE n.name = r."requested_by";--> statement-breakpoint
ALTER TABLE "promotions" ALTER COLUMN "requested_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "promotions" DROP COLUMN "requested_by";--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "confirmed_by_id" integer;--> statement-breakpoint
UPDATE "promotions" AS r SET "confirmed_by_id" = n.id FROM "people" AS n WHERE n.name = r."confirmed_by";--> statement-breakpoint
ALTER TABLE "promotions" DROP COLUMN "confirmed_by";--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "team_id" integer;--> statement-breakpoint
UPDATE "apis" AS r SET "team_id" = n.id FROM "teams" AS n WHERE n.name = r."team";--> statement-breakpoint
ALTER TABLE "apis" ALTER COLUMN "team_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "apis" DROP COLUMN "team";--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "owner_id" integer;--> statement-breakpoint
UPDATE "apis" AS r SET "owner_id" = n.id FROM "people" AS n WHERE n.name = r."owner";--> statement-breakpoint
ALTER TABLE "apis" DROP COLUMN "owner";--> statement-breakpoint
ALTER TABLE "impacts" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "impacts" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "impacts" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "impacts" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "approvals" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "approvals" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "approvals" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "approvals" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "batches" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "batches" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "batches" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "batches" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "batches" ADD COLUMN "accepted_by_id" integer;--> statement-breakpoint
UPDATE "batches" AS r SET "accepted_by_id" = n.id FROM "people" AS n WHERE n.name = r."accepted_by";--> statement-breakpoint
ALTER TABLE "batches" DROP COLUMN "accepted_by";--> statement-breakpoint
ALTER TABLE "batches" ADD COLUMN "team_id" integer;--> statement-breakpoint
UPDATE "batches" AS r SET "team_id" = n.id FROM "teams" AS n WHERE n.name = r."team";--> statement-breakpoint
ALTER TABLE "batches" DROP COLUMN "team";--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "by_id" integer;--> statement-breakpoint
UPDATE "intakes" AS r SET "by_id" = n.id FROM "people" AS n WHERE n.name = r."by";--> statement-breakpoint
ALTER TABLE "intakes" ALTER COLUMN "by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" DROP COLUMN "by";--> statement-breakpoint
ALTER TABLE "rulebooks" ADD COLUMN "saved_by_id" integer;--> statement-breakpoint
UPDATE "rulebooks" AS r SET "saved_by_id" = n.id FROM "people" AS n WHERE n.name = r."saved_by";--> statement-breakpoint
ALTER TABLE "rulebooks" ALTER COLUMN "saved_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "rulebooks" DROP COLUMN "saved_by";--> statement-breakpoint
ALTER TABLE "rulebooks" ADD COLUMN "team_id" integer;--> statement-breakpoint
UPDATE "rulebooks" AS r SET "team_id" = n.id FROM "teams" AS n WHERE n.name = r."team";--> statement-breakpoint
ALTER TABLE "rulebooks" DROP COLUMN "team";--> statement-breakpoint
ALTER TABLE "editions" ADD COLUMN "published_by_id" integer;--> statement-breakpoint
UPDATE "editions" AS r SET "published_by_id" = n.id FROM "people" AS n WHERE n.name = r."published_by";--> statement-breakpoint
ALTER TABLE "editions" ALTER COLUMN "published_by_id" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "editions" DROP COLUMN "published_by";--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "team_id" integer;--> statement-breakpoint
UPDATE "people" AS r SET "team_id" = n.id FROM "teams" AS n WHERE n.name = r."team";--> statement-breakpoint
ALTER TABLE "people" DROP COLUMN "team";--> statement-breakpoint
-- As before: what is confidential is seen by governance, by its team and by those it names.
CREATE POLICY seen ON "apis" USING (
  NOT confidential
  OR current_setting('elm.viewer', true) = '*'
  OR team_id = (SELECT t.id FROM "teams" t WHERE t.name = current_setting('elm.team', true))
  OR EXISTS (SELECT 1 FROM "api_viewers" v WHERE v.api_id = id AND v.person_id::text = current_setting('elm.viewer', true))) WITH CHECK (true);--> statement-breakpoint
ALTER TABLE "apis" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "settings" DROP COLUMN "teams";--> statement-breakpoint
ALTER TABLE "tokens" ALTER COLUMN "until" SET DATA TYPE date USING nullif("until", '')::date;--> statement-breakpoint
ALTER TABLE "apis" ALTER COLUMN "sunset" SET DATA TYPE date USING nullif("sunset", '')::date;--> statement-breakpoint
ALTER TABLE "findings" ALTER COLUMN "since" SET DATA TYPE date USING nullif("since", '')::date;--> statement-breakpoint
ALTER TABLE "waivers" ALTER COLUMN "until" SET DATA TYPE date USING nullif("until", '')::date;--> statement-breakpoint
ALTER TABLE "revisions" ALTER COLUMN "checked_on" DROP DEFAULT, ALTER COLUMN "checked_on" DROP NOT NULL, ALTER COLUMN "checked_on" SET DATA TYPE date USING nullif("checked_on", '')::date;--> statement-breakpoint
CREATE OR REPLACE FUNCTION note_estate_names(of_api integer, estate jsonb) RETURNS void LANGUAGE sql AS $$
  DELETE FROM estate_names WHERE api_id = of_api;
  INSERT INTO estate_names (api_id, kind, name, shape)
    SELECT of_api, 'basePath', path, ''
      FROM jsonb_array_elements_text(coalesce(estate -> 'basePaths', '[]')) AS path WHERE length(path) <= 600
    UNION ALL
    SELECT of_api, 'schema', pair ->> 0, pair ->> 1
      FROM jsonb_array_elements(coalesce(estate -> 'schemas', '[]')) AS pair WHERE length(pair ->> 0) <= 600;
$$;--> statement-breakpoint
UPDATE "intakes" SET "state" = 'unreadable' WHERE "state" = 'problems';--> statement-breakpoint
UPDATE "intakes" SET "diagnostics" = coalesce((
  SELECT jsonb_agg((d - 'level') || jsonb_build_object('severity', d -> 'level') ORDER BY place)
  FROM jsonb_array_elements("diagnostics") WITH ORDINALITY AS e(d, place)), '[]');--> statement-breakpoint
UPDATE "intakes" SET "summary" = ("summary" - 'problems') || jsonb_build_object('diagnostics', "summary" -> 'problems') WHERE "summary" ? 'problems';--> statement-breakpoint
UPDATE "revisions" SET "summary" = ("summary" - 'problems') || jsonb_build_object('diagnostics', "summary" -> 'problems') WHERE "summary" ? 'problems';--> statement-breakpoint
UPDATE "checks" SET "report" = (jsonb_set("report"::jsonb, '{unreadable}', (
  SELECT coalesce(jsonb_agg((d - 'level') || jsonb_build_object('severity', d -> 'level') ORDER BY place), '[]')
  FROM jsonb_array_elements("report"::jsonb -> 'unreadable') WITH ORDINALITY AS e(d, place))))::json
WHERE "report"::jsonb ? 'unreadable';--> statement-breakpoint
UPDATE "rollouts" SET "change" = jsonb_set("change", '{wanted}', (
  SELECT jsonb_agg((w - 'api' - 'revision' - 'edition')
    || jsonb_build_object('apiId', w -> 'api', 'revisionId', w -> 'revision', 'generation', w -> 'edition') ORDER BY place)
  FROM jsonb_array_elements("change" -> 'wanted') WITH ORDINALITY AS e(w, place)))
WHERE "change" ? 'wanted';--> statement-breakpoint
UPDATE "rollouts" SET "change" = ("change" - 'edition') || jsonb_build_object('generation', "change" -> 'edition') WHERE "change" ? 'edition';--> statement-breakpoint
ALTER TABLE "api_viewers" ADD CONSTRAINT "api_viewers_api_id_person_id_pk" PRIMARY KEY("api_id","person_id");--> statement-breakpoint
ALTER TABLE "approvals" ADD CONSTRAINT "approvals_promotion_id_by_id_pk" PRIMARY KEY("promotion_id","by_id");--> statement-breakpoint
ALTER TABLE "assignments" ADD CONSTRAINT "assignments_api_id_key_pk" PRIMARY KEY("api_id","key");--> statement-breakpoint
ALTER TABLE "backends" ADD CONSTRAINT "backends_api_id_stage_name_pk" PRIMARY KEY("api_id","stage","name");--> statement-breakpoint
ALTER TABLE "baselines" ADD CONSTRAINT "baselines_api_id_key_pk" PRIMARY KEY("api_id","key");--> statement-breakpoint
ALTER TABLE "judgements" ADD CONSTRAINT "judgements_revision_id_digest_pk" PRIMARY KEY("revision_id","digest");--> statement-breakpoint
ALTER TABLE "keys" ADD CONSTRAINT "keys_placement_id_name_pk" PRIMARY KEY("placement_id","name");--> statement-breakpoint
ALTER TABLE "parts" ADD CONSTRAINT "parts_revision_id_kind_position_pk" PRIMARY KEY("revision_id","kind","position");--> statement-breakpoint
ALTER TABLE "placement_sites" ADD CONSTRAINT "placement_sites_placement_id_gateway_pk" PRIMARY KEY("placement_id","gateway");--> statement-breakpoint
ALTER TABLE "revision_files" ADD CONSTRAINT "revision_files_revision_id_position_pk" PRIMARY KEY("revision_id","position");--> statement-breakpoint
ALTER TABLE "rollout_placements" ADD CONSTRAINT "rollout_placements_rollout_id_placement_id_pk" PRIMARY KEY("rollout_id","placement_id");--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD CONSTRAINT "rollout_steps_rollout_id_gateway_pk" PRIMARY KEY("rollout_id","gateway");--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_api_id_version_pk" PRIMARY KEY("api_id","version");--> statement-breakpoint
ALTER TABLE "apis" ADD CONSTRAINT "apis_audience" CHECK ("apis"."audience" in ('private', 'partner', 'public'));--> statement-breakpoint
ALTER TABLE "apis" ADD CONSTRAINT "apis_lifecycle" CHECK ("apis"."lifecycle" in ('writing', 'active', 'deprecated', 'retired'));--> statement-breakpoint
ALTER TABLE "apis" ADD CONSTRAINT "apis_latest_number" CHECK ("apis"."latest_number" >= 0);--> statement-breakpoint
ALTER TABLE "backends" ADD CONSTRAINT "backends_timeout_ms" CHECK ("backends"."timeout_ms" >= 1);--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_state" CHECK ("batches"."state" in ('waiting', 'unpacking', 'reading', 'ready', 'accepting', 'done', 'stopped', 'failed'));--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_audience" CHECK ("batches"."audience" in ('private', 'partner', 'public'));--> statement-breakpoint
ALTER TABLE "checks" ADD CONSTRAINT "checks_state" CHECK ("checks"."state" in ('waiting', 'done', 'failed'));--> statement-breakpoint
ALTER TABLE "checks" ADD CONSTRAINT "checks_audience" CHECK ("checks"."audience" in ('private', 'partner', 'public'));--> statement-breakpoint
ALTER TABLE "estate_names" ADD CONSTRAINT "estate_names_kind" CHECK ("estate_names"."kind" in ('basePath', 'schema'));--> statement-breakpoint
ALTER TABLE "findings" ADD CONSTRAINT "findings_level" CHECK ("findings"."level" in ('MUST', 'SHOULD', 'MAY'));--> statement-breakpoint
ALTER TABLE "findings" ADD CONSTRAINT "findings_becomes" CHECK ("findings"."becomes" in ('MUST', 'SHOULD', 'MAY'));--> statement-breakpoint
ALTER TABLE "findings" ADD CONSTRAINT "findings_status" CHECK ("findings"."status" in ('open', 'waived', 'accepted'));--> statement-breakpoint
ALTER TABLE "gateway_groups" ADD CONSTRAINT "gateway_groups_audiences" CHECK ("gateway_groups"."audiences" <@ array['private', 'partner', 'public']);--> statement-breakpoint
ALTER TABLE "hosts" ADD CONSTRAINT "hosts_audiences" CHECK ("hosts"."audiences" <@ array['private', 'partner', 'public']);--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_kind" CHECK ("impact_places"."kind" in ('fails', 'passes', 'weighs'));--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_level" CHECK ("impact_places"."level" in ('MUST', 'SHOULD', 'MAY'));--> statement-breakpoint
ALTER TABLE "impacts" ADD CONSTRAINT "impacts_state" CHECK ("impacts"."state" in ('waiting', 'running', 'done', 'stopped', 'failed'));--> statement-breakpoint
ALTER TABLE "intakes" ADD CONSTRAINT "intakes_state" CHECK ("intakes"."state" in ('waiting', 'reading', 'ready', 'unreadable', 'accepted'));--> statement-breakpoint
ALTER TABLE "intakes" ADD CONSTRAINT "intakes_outcome" CHECK ("intakes"."outcome" in ('added', 'revised', 'unchanged', 'refused', 'part'));--> statement-breakpoint
ALTER TABLE "keys" ADD CONSTRAINT "keys_state" CHECK ("keys"."state" in ('issuing', 'active', 'withdrawing'));--> statement-breakpoint
ALTER TABLE "parts" ADD CONSTRAINT "parts_kind" CHECK ("parts"."kind" in ('operation', 'webhook', 'schema'));--> statement-breakpoint
ALTER TABLE "people" ADD CONSTRAINT "people_role" CHECK ("people"."role" in ('governance', 'owner', 'operator', 'reviewer', 'reader', 'administrator'));--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_generation" CHECK ("placements"."generation" >= 1);--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_state" CHECK ("promotions"."state" in ('waiting', 'under-way', 'done', 'withdrawn'));--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_kind" CHECK ("promotions"."kind" in ('promotion', 'change', 'removal', 'put-back', 'keep'));--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_state" CHECK ("proposals"."state" in ('planning', 'waiting', 'accepted', 'declined', 'withdrawn', 'nothing'));--> statement-breakpoint
ALTER TABLE "revision_files" ADD CONSTRAINT "revision_files_position" CHECK ("revision_files"."position" >= 0);--> statement-breakpoint
ALTER TABLE "revision_files" ADD CONSTRAINT "revision_files_bytes" CHECK ("revision_files"."bytes" >= 0);--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_number" CHECK ("revisions"."number" >= 1);--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_bytes" CHECK ("revisions"."bytes" >= 0);--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD CONSTRAINT "rollout_steps_state" CHECK ("rollout_steps"."state" in ('waiting', 'writing', 'written', 'unknown', 'confirmed', 'refused', 'undone', 'untouched'));--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_state" CHECK ("rollouts"."state" in ('running', 'going-back', 'done', 'rolled-back'));--> statement-breakpoint
ALTER TABLE "waivers" ADD CONSTRAINT "waivers_state" CHECK ("waivers"."state" in ('waiting', 'approved', 'refused', 'withdrawn'));--> statement-breakpoint
CREATE INDEX "comments_api_id_key_index" ON "comments" USING btree ("api_id","key");--> statement-breakpoint
CREATE INDEX "findings_revision_id_level_line_index" ON "findings" USING btree ("revision_id","level","line");--> statement-breakpoint
CREATE INDEX "findings_rule_revision_id_index" ON "findings" USING btree ("rule","revision_id");--> statement-breakpoint
CREATE INDEX "findings_waiver_id_index" ON "findings" USING btree ("waiver_id") WHERE waiver_id is not null;--> statement-breakpoint
CREATE INDEX "impact_places_impact_id_rule_index" ON "impact_places" USING btree ("impact_id","rule");--> statement-breakpoint
CREATE INDEX "intakes_batch_id_index" ON "intakes" USING btree ("batch_id");--> statement-breakpoint
CREATE INDEX "ledger_api_id_index" ON "ledger" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "parts_revision_id_kind_name_index" ON "parts" USING btree ("revision_id","kind","name");--> statement-breakpoint
CREATE INDEX "placements_api_id_index" ON "placements" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "proposals_api_id_index" ON "proposals" USING btree ("api_id");--> statement-breakpoint
CREATE UNIQUE INDEX "revisions_api_id_number_index" ON "revisions" USING btree ("api_id","number");--> statement-breakpoint
CREATE INDEX "rollout_placements_placement_id_index" ON "rollout_placements" USING btree ("placement_id");--> statement-breakpoint
CREATE INDEX "search_entries_api_id_index" ON "search_entries" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "tallies_api_id_id_index" ON "tallies" USING btree ("api_id","id");--> statement-breakpoint
CREATE INDEX "waivers_api_id_index" ON "waivers" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "findings_set_aside" ON "findings" USING btree ("revision_id","rule") WHERE status <> 'open';--> statement-breakpoint
ALTER TABLE "api_viewers" ADD CONSTRAINT "api_viewers_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "api_viewers" ADD CONSTRAINT "api_viewers_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "apis" ADD CONSTRAINT "apis_team_id_teams_id_fk" FOREIGN KEY ("team_id") REFERENCES "public"."teams"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "apis" ADD CONSTRAINT "apis_owner_id_people_id_fk" FOREIGN KEY ("owner_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "approvals" ADD CONSTRAINT "approvals_promotion_id_promotions_id_fk" FOREIGN KEY ("promotion_id") REFERENCES "public"."promotions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "approvals" ADD CONSTRAINT "approvals_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "assignments" ADD CONSTRAINT "assignments_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "assignments" ADD CONSTRAINT "assignments_assignee_id_people_id_fk" FOREIGN KEY ("assignee_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "backends" ADD CONSTRAINT "backends_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "backends" ADD CONSTRAINT "backends_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "baselines" ADD CONSTRAINT "baselines_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "baselines" ADD CONSTRAINT "baselines_accepted_by_id_people_id_fk" FOREIGN KEY ("accepted_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_accepted_by_id_people_id_fk" FOREIGN KEY ("accepted_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "batches" ADD CONSTRAINT "batches_team_id_teams_id_fk" FOREIGN KEY ("team_id") REFERENCES "public"."teams"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "checks" ADD CONSTRAINT "checks_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "checks" ADD CONSTRAINT "checks_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "checks" ADD CONSTRAINT "checks_team_id_teams_id_fk" FOREIGN KEY ("team_id") REFERENCES "public"."teams"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comments" ADD CONSTRAINT "comments_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comments" ADD CONSTRAINT "comments_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "editions" ADD CONSTRAINT "editions_published_by_id_people_id_fk" FOREIGN KEY ("published_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "estate_names" ADD CONSTRAINT "estate_names_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "findings" ADD CONSTRAINT "findings_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "findings" ADD CONSTRAINT "findings_waiver_id_waivers_id_fk" FOREIGN KEY ("waiver_id") REFERENCES "public"."waivers"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_impact_id_impacts_id_fk" FOREIGN KEY ("impact_id") REFERENCES "public"."impacts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "impact_places" ADD CONSTRAINT "impact_places_revision" FOREIGN KEY ("api_id","revision_number") REFERENCES "public"."revisions"("api_id","number") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "impacts" ADD CONSTRAINT "impacts_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "intakes" ADD CONSTRAINT "intakes_batch_id_batches_id_fk" FOREIGN KEY ("batch_id") REFERENCES "public"."batches"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "intakes" ADD CONSTRAINT "intakes_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "judgements" ADD CONSTRAINT "judgements_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "keys" ADD CONSTRAINT "keys_placement_id_placements_id_fk" FOREIGN KEY ("placement_id") REFERENCES "public"."placements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "ledger" ADD CONSTRAINT "ledger_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "parts" ADD CONSTRAINT "parts_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "people" ADD CONSTRAINT "people_team_id_teams_id_fk" FOREIGN KEY ("team_id") REFERENCES "public"."teams"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placement_sites" ADD CONSTRAINT "placement_sites_placement_id_placements_id_fk" FOREIGN KEY ("placement_id") REFERENCES "public"."placements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_applied_by_id_people_id_fk" FOREIGN KEY ("applied_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_requested_by_id_people_id_fk" FOREIGN KEY ("requested_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_confirmed_by_id_people_id_fk" FOREIGN KEY ("confirmed_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_decided_by_id_people_id_fk" FOREIGN KEY ("decided_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_revision" FOREIGN KEY ("api_id","revision_number") REFERENCES "public"."revisions"("api_id","number") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revision_files" ADD CONSTRAINT "revision_files_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revisions" ADD CONSTRAINT "revisions_saved_by_id_people_id_fk" FOREIGN KEY ("saved_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_placements" ADD CONSTRAINT "rollout_placements_rollout_id_rollouts_id_fk" FOREIGN KEY ("rollout_id") REFERENCES "public"."rollouts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollout_steps" ADD CONSTRAINT "rollout_steps_rollout_id_rollouts_id_fk" FOREIGN KEY ("rollout_id") REFERENCES "public"."rollouts"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rulebooks" ADD CONSTRAINT "rulebooks_team_id_teams_id_fk" FOREIGN KEY ("team_id") REFERENCES "public"."teams"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rulebooks" ADD CONSTRAINT "rulebooks_saved_by_id_people_id_fk" FOREIGN KEY ("saved_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "search_entries" ADD CONSTRAINT "search_entries_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "sessions" ADD CONSTRAINT "sessions_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "tallies" ADD CONSTRAINT "tallies_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "tallies" ADD CONSTRAINT "tallies_revision" FOREIGN KEY ("api_id","revision_number") REFERENCES "public"."revisions"("api_id","number") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "tokens" ADD CONSTRAINT "tokens_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "versions" ADD CONSTRAINT "versions_revision_id_revisions_id_fk" FOREIGN KEY ("revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "waivers" ADD CONSTRAINT "waivers_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "waivers" ADD CONSTRAINT "waivers_asked_by_id_people_id_fk" FOREIGN KEY ("asked_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "waivers" ADD CONSTRAINT "waivers_decided_by_id_people_id_fk" FOREIGN KEY ("decided_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "revisions" ADD COLUMN "estate_digest" text;
