CREATE TABLE "event_cursors" (
	"gateway" text PRIMARY KEY NOT NULL,
	"journal" text NOT NULL,
	"seq" bigint NOT NULL,
	"lost" bigint NOT NULL,
	"lost_at" timestamp with time zone,
	"read_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "traffic" (
	"resolution" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"series" integer NOT NULL,
	"calls" bigint NOT NULL,
	"broken" bigint NOT NULL,
	"bytes_in" bigint NOT NULL,
	"bytes_out" bigint NOT NULL,
	"durations" "bytea" NOT NULL,
	"upstream" "bytea" NOT NULL,
	CONSTRAINT "traffic_resolution_at_series_pk" PRIMARY KEY("resolution","at","series"),
	CONSTRAINT "traffic_resolution" CHECK ("traffic"."resolution" in ('minute', 'hour', 'day'))
);
--> statement-breakpoint
CREATE TABLE "traffic_series" (
	"id" serial PRIMARY KEY NOT NULL,
	"digest" text NOT NULL,
	"grain" text NOT NULL,
	"gateway" text NOT NULL,
	"api_id" integer,
	"placement" text NOT NULL,
	"version" text NOT NULL,
	"stage" text NOT NULL,
	"operation" text NOT NULL,
	"client" text NOT NULL,
	"status" integer NOT NULL,
	"step" text NOT NULL,
	"policy" text NOT NULL,
	CONSTRAINT "traffic_series_digest_unique" UNIQUE("digest"),
	CONSTRAINT "traffic_series_grain" CHECK ("traffic_series"."grain" in ('gateway', 'placement', 'operation'))
);
--> statement-breakpoint
ALTER TABLE "event_cursors" ADD CONSTRAINT "event_cursors_gateway_gateways_name_fk" FOREIGN KEY ("gateway") REFERENCES "public"."gateways"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "traffic" ADD CONSTRAINT "traffic_series_traffic_series_id_fk" FOREIGN KEY ("series") REFERENCES "public"."traffic_series"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "traffic_series" ADD CONSTRAINT "traffic_series_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "traffic_series_api_id_index" ON "traffic_series" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "traffic_series_placement_index" ON "traffic_series" USING btree ("placement");--> statement-breakpoint
ALTER TABLE "traffic_series" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "traffic_series" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "traffic_series"
  USING (api_id IS NULL OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);
