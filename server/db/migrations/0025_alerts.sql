CREATE TABLE "alerts" (
	"id" serial PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"kind" text NOT NULL,
	"threshold" integer NOT NULL,
	"minutes" integer NOT NULL,
	"api_id" integer,
	"stage" text NOT NULL,
	"gateway" text NOT NULL,
	"mails" jsonb NOT NULL,
	"webhook" text NOT NULL,
	"sealed_secret" text NOT NULL,
	"quiet" jsonb,
	"until" date,
	"set_by_id" integer NOT NULL,
	"set_at" timestamp with time zone NOT NULL,
	"began_at" timestamp with time zone,
	"says" text DEFAULT '' NOT NULL,
	"checked_at" timestamp with time zone,
	CONSTRAINT "alerts_kind" CHECK ("alerts"."kind" in ('errors', 'latency', 'silence', 'limits', 'sunset', 'drift'))
);
--> statement-breakpoint
CREATE TABLE "notices" (
	"id" serial PRIMARY KEY NOT NULL,
	"alert_id" integer NOT NULL,
	"event" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"says" text NOT NULL,
	"channel" text NOT NULL,
	"recipient" text NOT NULL,
	"due_at" timestamp with time zone NOT NULL,
	"tries" integer DEFAULT 0 NOT NULL,
	"trouble" text DEFAULT '' NOT NULL,
	"sent_at" timestamp with time zone,
	"failed_at" timestamp with time zone,
	CONSTRAINT "notices_event" CHECK ("notices"."event" in ('began', 'ended', 'test')),
	CONSTRAINT "notices_channel" CHECK ("notices"."channel" in ('mail', 'webhook'))
);
--> statement-breakpoint
ALTER TABLE "alerts" ADD CONSTRAINT "alerts_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "alerts" ADD CONSTRAINT "alerts_set_by_id_people_id_fk" FOREIGN KEY ("set_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_alert_id_alerts_id_fk" FOREIGN KEY ("alert_id") REFERENCES "public"."alerts"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "notices_due" ON "notices" USING btree ("due_at") WHERE sent_at is null and failed_at is null;--> statement-breakpoint
CREATE INDEX "notices_alert_id_index" ON "notices" USING btree ("alert_id");--> statement-breakpoint
ALTER TABLE "alerts" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "alerts" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "alerts"
  USING (api_id IS NULL OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
ALTER TABLE "notices" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "notices" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "notices"
  USING (EXISTS (SELECT 1 FROM "alerts" a WHERE a.id = alert_id)) WITH CHECK (true);
