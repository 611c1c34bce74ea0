CREATE TABLE "probe_keys" (
	"placement_id" text PRIMARY KEY NOT NULL,
	"sealed" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "probe_runs" (
	"id" serial PRIMARY KEY NOT NULL,
	"probe_id" integer NOT NULL,
	"api_id" integer NOT NULL,
	"edition" integer NOT NULL,
	"placement_id" text NOT NULL,
	"version" text NOT NULL,
	"stage" text NOT NULL,
	"gateway" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"ms" integer NOT NULL,
	"cause" text NOT NULL,
	"by_id" integer,
	"rollout_id" integer,
	"passed" boolean NOT NULL,
	"says" text NOT NULL,
	"steps" jsonb NOT NULL,
	CONSTRAINT "probe_runs_cause" CHECK ("probe_runs"."cause" in ('hand', 'schedule', 'rollout'))
);
--> statement-breakpoint
CREATE TABLE "probes" (
	"id" serial PRIMARY KEY NOT NULL,
	"api_id" integer NOT NULL,
	"title" text NOT NULL,
	"text" text NOT NULL,
	"every" integer NOT NULL,
	"stages" jsonb NOT NULL,
	"edition" integer NOT NULL,
	"set_by_id" integer NOT NULL,
	"set_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "probe_keys" ADD CONSTRAINT "probe_keys_placement_id_placements_id_fk" FOREIGN KEY ("placement_id") REFERENCES "public"."placements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "probe_runs" ADD CONSTRAINT "probe_runs_probe_id_probes_id_fk" FOREIGN KEY ("probe_id") REFERENCES "public"."probes"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "probe_runs" ADD CONSTRAINT "probe_runs_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "probe_runs" ADD CONSTRAINT "probe_runs_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "probes" ADD CONSTRAINT "probes_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "probes" ADD CONSTRAINT "probes_set_by_id_people_id_fk" FOREIGN KEY ("set_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "probe_runs_probe_id_placement_id_gateway_id_index" ON "probe_runs" USING btree ("probe_id","placement_id","gateway","id");--> statement-breakpoint
CREATE INDEX "probe_runs_api_id_index" ON "probe_runs" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "probe_runs_rollout_id_index" ON "probe_runs" USING btree ("rollout_id");--> statement-breakpoint
CREATE INDEX "probe_runs_at_index" ON "probe_runs" USING btree ("at");--> statement-breakpoint
CREATE UNIQUE INDEX "probes_api_id_title_index" ON "probes" USING btree ("api_id","title");--> statement-breakpoint
ALTER TABLE "probes" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "probes" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "probes"
  USING (EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
ALTER TABLE "probe_runs" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "probe_runs" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "probe_runs"
  USING (EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
ALTER TABLE "probe_keys" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "probe_keys" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "probe_keys"
  USING (EXISTS (SELECT 1 FROM "placements" p WHERE p.id = placement_id)) WITH CHECK (true);
