CREATE TABLE "evidence_sources" (
	"slug" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"sealed_secret" text NOT NULL,
	"set_by_id" integer NOT NULL,
	"set_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "outside_results" (
	"id" serial PRIMARY KEY NOT NULL,
	"source" text NOT NULL,
	"message" text NOT NULL,
	"api_id" integer NOT NULL,
	"version" text NOT NULL,
	"passed" boolean NOT NULL,
	"says" text NOT NULL,
	"url" text NOT NULL,
	"digest" text NOT NULL,
	"at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "evidence_sources" ADD CONSTRAINT "evidence_sources_set_by_id_people_id_fk" FOREIGN KEY ("set_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "outside_results" ADD CONSTRAINT "outside_results_source_evidence_sources_slug_fk" FOREIGN KEY ("source") REFERENCES "public"."evidence_sources"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "outside_results" ADD CONSTRAINT "outside_results_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "outside_results_source_message_index" ON "outside_results" USING btree ("source","message");--> statement-breakpoint
CREATE INDEX "outside_results_api_id_version_source_id_index" ON "outside_results" USING btree ("api_id","version","source","id");--> statement-breakpoint
ALTER TABLE "outside_results" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "outside_results" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "outside_results"
  USING (EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);
