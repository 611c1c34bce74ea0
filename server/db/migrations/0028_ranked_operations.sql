CREATE TABLE "traffic_operations" (
	"id" serial PRIMARY KEY NOT NULL,
	"digest" text NOT NULL,
	"api_id" integer,
	"name" text NOT NULL,
	CONSTRAINT "traffic_operations_digest_unique" UNIQUE("digest")
);
--> statement-breakpoint
ALTER TABLE "traffic_operations" ADD CONSTRAINT "traffic_operations_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "traffic_operations_api_id_index" ON "traffic_operations" USING btree ("api_id");--> statement-breakpoint
ALTER TABLE "traffic_operations" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "traffic_operations" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "traffic_operations"
  USING (api_id IS NULL OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
CREATE FUNCTION pg_temp.called(api integer, operation text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT encode(sha256(convert_to('[' || coalesce(api::text, 'null') || ',' || to_json(operation)::text || ']', 'UTF8')), 'hex')
$$;--> statement-breakpoint
INSERT INTO "traffic_operations" (digest, api_id, name)
SELECT DISTINCT pg_temp.called(api_id, operation), api_id, operation FROM "traffic_series" WHERE grain = 'operation';--> statement-breakpoint
ALTER TABLE "traffic_series" ADD COLUMN "operation_id" integer;--> statement-breakpoint
UPDATE "traffic_series" s SET operation_id = o.id
FROM "traffic_operations" o WHERE s.grain = 'operation' AND o.digest = pg_temp.called(s.api_id, s.operation);--> statement-breakpoint
ALTER TABLE "traffic_series" ADD CONSTRAINT "traffic_series_operation_id_traffic_operations_id_fk" FOREIGN KEY ("operation_id") REFERENCES "public"."traffic_operations"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "traffic_series_operation_id_index" ON "traffic_series" USING btree ("operation_id");--> statement-breakpoint
-- By client of everything there were no counts of their own: they are the sums of those by client and placement.
ALTER TABLE "traffic_series" DROP CONSTRAINT "traffic_series_grain";--> statement-breakpoint
ALTER TABLE "traffic_series" ADD CONSTRAINT "traffic_series_grain" CHECK ("traffic_series"."grain" in ('gateway', 'caller', 'placement', 'client', 'operation'));--> statement-breakpoint
-- A client's calls of all APIs tell of those that are confidential.
DROP POLICY seen ON "traffic_series";--> statement-breakpoint
CREATE POLICY seen ON "traffic_series" USING (
  (api_id IS NULL AND (grain <> 'caller' OR current_setting('elm.viewer', true) = '*'))
  OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
CREATE TEMP TABLE callers AS
SELECT id AS client, encode(sha256(convert_to('[' || concat_ws(',', to_json(gateway)::text, '"caller"', '""', '""', '""', to_json(client)::text,
  status::text, to_json(step)::text, to_json(policy)::text) || ']', 'UTF8')), 'hex') AS digest
FROM "traffic_series" WHERE grain = 'client';--> statement-breakpoint
INSERT INTO "traffic_series" (digest, grain, gateway, placement, version, stage, operation, client, status, step, policy)
SELECT DISTINCT ON (c.digest) c.digest, 'caller', s.gateway, '', '', '', '', s.client, s.status, s.step, s.policy
FROM callers c JOIN "traffic_series" s ON s.id = c.client ORDER BY c.digest;--> statement-breakpoint
INSERT INTO "traffic" (resolution, span, series, calls, line, broken, rolled, parts, whole)
SELECT w.resolution, w.span, w.series, w.calls, (b.bounds || l.line::text)::int[],
  CASE WHEN w.broken THEN (b.bounds || l.broken::text)::int[] ELSE '{}' END, w.rolled, w.parts, ''
FROM (SELECT t.resolution, t.span, s.id AS series, sum(t.calls) AS calls, bool_or(t.broken <> '{}') AS broken, bool_and(t.rolled) AS rolled,
    min(array_lower(t.line, 1)) AS first, max(array_upper(t.line, 1)) AS last, string_agg(t.parts, '') AS parts, array_agg(c.client) AS clients
  FROM "traffic" t JOIN callers c ON c.client = t.series JOIN "traffic_series" s ON s.digest = c.digest GROUP BY t.resolution, t.span, s.id) w,
  LATERAL (SELECT array_agg(p.calls ORDER BY p.n) AS line, array_agg(p.broken ORDER BY p.n) AS broken
    FROM (SELECT n, coalesce(sum(t.line[n]), 0)::int AS calls, coalesce(sum(t.broken[n]), 0)::int AS broken
      FROM generate_series(w.first, w.last) n, "traffic" t
      WHERE t.resolution = w.resolution AND t.span = w.span AND t.series = ANY (w.clients) GROUP BY n) p) l,
  LATERAL (SELECT format('[%s:%s]=', w.first, w.last) AS bounds) b;--> statement-breakpoint
DROP TABLE callers;--> statement-breakpoint
ALTER TABLE "traffic" RENAME TO "traffic_before";--> statement-breakpoint
DROP INDEX "traffic_to_roll_up";--> statement-breakpoint
ALTER TABLE "traffic_before" DROP CONSTRAINT "traffic_resolution";--> statement-breakpoint
CREATE TABLE "traffic" (
	"resolution" text NOT NULL,
	"grain" text NOT NULL,
	"span" timestamp with time zone NOT NULL,
	"series" integer NOT NULL,
	"operation" integer,
	"calls" bigint NOT NULL,
	"line" bigint[] NOT NULL,
	"broken" integer[] NOT NULL,
	"rolled" boolean NOT NULL,
	"parts" "bytea" NOT NULL,
	"whole" "bytea" NOT NULL,
	CONSTRAINT "traffic_resolution_grain_span_series_pk" PRIMARY KEY("resolution","grain","span","series"),
	CONSTRAINT "traffic_resolution" CHECK ("traffic"."resolution" in ('minute', 'hour', 'day')),
	CONSTRAINT "traffic_grain" CHECK ("traffic"."grain" in ('gateway', 'caller', 'placement', 'client', 'operation'))
);
--> statement-breakpoint
-- Lines become running sums. What was kept as one is left out: until somebody adds to it, it is read by its parts.
INSERT INTO "traffic" (resolution, grain, span, series, operation, calls, line, broken, rolled, parts, whole)
SELECT t.resolution, s.grain, t.span, t.series, s.operation_id, t.calls,
  (format('[%s:%s]=', array_lower(t.line, 1), array_upper(t.line, 1)) || l.line::text)::bigint[], t.broken, t.rolled, t.parts, ''
FROM "traffic_before" t JOIN "traffic_series" s ON s.id = t.series,
  LATERAL (SELECT array_agg(r.upto ORDER BY r.n) AS line
    FROM (SELECT n, sum(calls) OVER (ORDER BY n)::bigint AS upto FROM unnest(t.line) WITH ORDINALITY AS u (calls, n)) r) l;--> statement-breakpoint
DROP TABLE "traffic_before";--> statement-breakpoint
CREATE INDEX "traffic_to_roll_up" ON "traffic" USING btree ("series") WHERE not rolled;
