ALTER TABLE "traffic" RENAME TO "traffic_before";--> statement-breakpoint
ALTER TABLE "traffic_before" DROP CONSTRAINT "traffic_series_traffic_series_id_fk";--> statement-breakpoint
ALTER TABLE "traffic_before" DROP CONSTRAINT "traffic_resolution";--> statement-breakpoint
ALTER TABLE "traffic_series" DROP CONSTRAINT "traffic_series_grain";--> statement-breakpoint
ALTER TABLE "traffic_series" ADD CONSTRAINT "traffic_series_grain" CHECK ("traffic_series"."grain" in ('gateway', 'placement', 'client', 'operation'));--> statement-breakpoint
CREATE TABLE "traffic" (
	"resolution" text NOT NULL,
	"span" timestamp with time zone NOT NULL,
	"series" integer NOT NULL,
	"calls" bigint NOT NULL,
	"line" integer[] NOT NULL,
	"broken" integer[] NOT NULL,
	"rolled" boolean NOT NULL,
	"parts" "bytea" NOT NULL,
	"whole" "bytea" NOT NULL,
	CONSTRAINT "traffic_resolution_span_series_pk" PRIMARY KEY("resolution","span","series"),
	CONSTRAINT "traffic_resolution" CHECK ("traffic"."resolution" in ('minute', 'hour', 'day'))
);
--> statement-breakpoint
-- What was counted is kept: each minute, hour and day becomes a part of its hour, day or month, written as core/traffic/spans does.
CREATE FUNCTION pg_temp.varint(value bigint) RETURNS bytea LANGUAGE plpgsql IMMUTABLE AS $$
DECLARE
  bytes bytea := '';
BEGIN
  WHILE value > 127 LOOP
    bytes := bytes || set_byte('\x00'::bytea, 0, (value % 128 + 128)::int);
    value := value / 128;
  END LOOP;
  RETURN bytes || set_byte('\x00'::bytea, 0, value::int);
END $$;--> statement-breakpoint
CREATE FUNCTION pg_temp.histogram(pairs bytea) RETURNS bytea LANGUAGE sql IMMUTABLE AS $$
  SELECT pg_temp.varint((SELECT count(*) FROM generate_series(0, length(pairs) - 1) n WHERE get_byte(pairs, n) < 128) / 2) || pairs
$$;--> statement-breakpoint
CREATE TEMP TABLE counted AS
SELECT t.resolution, t.series, t.calls, t.broken, s.span, s.part,
  pg_temp.varint(s.part) || pg_temp.varint(t.calls) || pg_temp.varint(t.broken) || pg_temp.varint(t.bytes_in)
    || pg_temp.varint(t.bytes_out) || pg_temp.histogram(t.durations) || pg_temp.histogram(t.upstream) AS record
FROM "traffic_before" t, LATERAL (
  SELECT date_trunc(CASE t.resolution WHEN 'minute' THEN 'hour' WHEN 'hour' THEN 'day' ELSE 'month' END, t.at, 'UTC') AS span,
    (CASE t.resolution WHEN 'minute' THEN extract(minute FROM t.at AT TIME ZONE 'UTC')
      WHEN 'hour' THEN extract(hour FROM t.at AT TIME ZONE 'UTC')
      ELSE extract(day FROM t.at AT TIME ZONE 'UTC') - 1 END)::int AS part) s;--> statement-breakpoint
-- By client there were no counts of their own: they are the sums of its operations.
CREATE TEMP TABLE clients AS
SELECT id AS operation, encode(sha256(convert_to('[' || concat_ws(',', to_json(gateway)::text, '"client"', to_json(placement)::text,
  to_json(version)::text, '""', to_json(client)::text, status::text, to_json(step)::text, to_json(policy)::text) || ']', 'UTF8')), 'hex') AS digest
FROM "traffic_series" WHERE grain = 'operation';--> statement-breakpoint
INSERT INTO "traffic_series" (digest, grain, gateway, api_id, placement, version, stage, operation, client, status, step, policy)
SELECT DISTINCT ON (c.digest) c.digest, 'client', s.gateway, s.api_id, s.placement, s.version, s.stage, '', s.client, s.status, s.step, s.policy
FROM clients c JOIN "traffic_series" s ON s.id = c.operation ORDER BY c.digest, s.id;--> statement-breakpoint
INSERT INTO counted
SELECT k.resolution, s.id, k.calls, k.broken, k.span, k.part, k.record
FROM counted k JOIN clients c ON c.operation = k.series JOIN "traffic_series" s ON s.digest = c.digest;--> statement-breakpoint
CREATE INDEX ON counted (resolution, span, series);--> statement-breakpoint
INSERT INTO "traffic" (resolution, span, series, calls, line, broken, rolled, parts, whole)
SELECT w.resolution, w.span, w.series, w.calls, (b.bounds || l.line::text)::int[],
  CASE WHEN w.broken = 0 THEN '{}' ELSE (b.bounds || l.broken::text)::int[] END, true, w.parts, w.parts
FROM (SELECT resolution, span, series, sum(calls) AS calls, sum(broken) AS broken, min(part) AS first, max(part) AS last,
    string_agg(record, '' ORDER BY part) AS parts FROM counted GROUP BY resolution, span, series) w,
  LATERAL (SELECT array_agg(coalesce(k.calls, 0)::int ORDER BY n) AS line, array_agg(coalesce(k.broken, 0)::int ORDER BY n) AS broken
    FROM generate_series(w.first, w.last) n LEFT JOIN (SELECT part, sum(calls) AS calls, sum(broken) AS broken FROM counted c
      WHERE c.resolution = w.resolution AND c.span = w.span AND c.series = w.series GROUP BY part) k ON k.part = n) l,
  LATERAL (SELECT format('[%s:%s]=', w.first + 1, w.last + 1) AS bounds) b;--> statement-breakpoint
DROP TABLE counted;--> statement-breakpoint
DROP TABLE clients;--> statement-breakpoint
DROP TABLE "traffic_before";--> statement-breakpoint
CREATE INDEX "traffic_to_roll_up" ON "traffic" USING btree ("series") WHERE not rolled;
