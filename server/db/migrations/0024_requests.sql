CREATE TABLE "requests" (
	"at" timestamp with time zone NOT NULL,
	"gateway" text NOT NULL,
	"id" text NOT NULL,
	"api_id" integer,
	"placement" text NOT NULL,
	"version" text NOT NULL,
	"stage" text NOT NULL,
	"operation" text NOT NULL,
	"client" text NOT NULL,
	"address" text NOT NULL,
	"status" integer NOT NULL,
	"step" text NOT NULL,
	"policy" text NOT NULL,
	"ms" real NOT NULL,
	"upstream_ms" real,
	"bytes_in" bigint NOT NULL,
	"bytes_out" bigint NOT NULL,
	"request_type" text NOT NULL,
	"response_type" text NOT NULL,
	"query" jsonb NOT NULL,
	"members" jsonb NOT NULL,
	"breaks" text NOT NULL
) PARTITION BY RANGE ("at");
--> statement-breakpoint
ALTER TABLE "settings" ALTER COLUMN "retention" SET DEFAULT '{"snapshots":30,"checks":30,"intakes":30,"impacts":30,"requests":14,"requestPercent":10}'::jsonb;--> statement-breakpoint
CREATE INDEX "requests_at_index" ON "requests" USING btree ("at");--> statement-breakpoint
CREATE INDEX "requests_placement_at_index" ON "requests" USING btree ("placement","at");--> statement-breakpoint
CREATE INDEX "requests_id_index" ON "requests" USING btree ("id");--> statement-breakpoint
UPDATE "settings" SET "retention" = '{"requests":14,"requestPercent":10}'::jsonb || "retention";--> statement-breakpoint
ALTER TABLE "requests" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "requests" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "requests"
  USING (api_id IS NULL OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
CREATE FUNCTION keep_requests_of(day date) RETURNS void LANGUAGE plpgsql SECURITY DEFINER SET search_path = public, pg_temp AS $$
BEGIN
  IF day < current_date - 400 OR day > current_date + 2 THEN RETURN; END IF;
  PERFORM pg_advisory_xact_lock(7120420);
  EXECUTE format('CREATE TABLE IF NOT EXISTS %I PARTITION OF requests FOR VALUES FROM (%L) TO (%L)',
    'requests_' || to_char(day, 'YYYYMMDD'), day::text || ' 00:00:00+00', (day + 1)::text || ' 00:00:00+00');
END $$;--> statement-breakpoint
CREATE FUNCTION drop_requests_before(day date) RETURNS integer LANGUAGE plpgsql SECURITY DEFINER SET search_path = public, pg_temp AS $$
DECLARE
  old text;
  dropped integer := 0;
BEGIN
  PERFORM pg_advisory_xact_lock(7120420);
  FOR old IN
    SELECT c.relname FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
    WHERE i.inhparent = 'public.requests'::regclass AND c.relname < 'requests_' || to_char(day, 'YYYYMMDD')
  LOOP
    EXECUTE format('DROP TABLE %I', old);
    dropped := dropped + 1;
  END LOOP;
  RETURN dropped;
END $$;--> statement-breakpoint
REVOKE ALL ON FUNCTION keep_requests_of(date), drop_requests_before(date) FROM PUBLIC;
