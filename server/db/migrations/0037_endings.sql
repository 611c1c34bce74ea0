CREATE TABLE "announcements" (
	"id" serial PRIMARY KEY NOT NULL,
	"api_id" integer NOT NULL,
	"promotion_id" integer,
	"placement_id" text NOT NULL,
	"client" text NOT NULL,
	"how" text NOT NULL,
	"recipient" text NOT NULL,
	"subject" text NOT NULL,
	"says" text NOT NULL,
	"by_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "announcements_how" CHECK ("announcements"."how" in ('mail', 'other'))
);
--> statement-breakpoint
ALTER TABLE "notices" DROP CONSTRAINT "notices_event";--> statement-breakpoint
ALTER TABLE "notices" DROP CONSTRAINT "notices_of_one";--> statement-breakpoint
ALTER TABLE "promotions" DROP CONSTRAINT "promotions_kind";--> statement-breakpoint
ALTER TABLE "keys" ADD COLUMN "contact" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "notices" ADD COLUMN "announcement_id" integer;--> statement-breakpoint
ALTER TABLE "placements" ADD COLUMN "ending" jsonb;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "ending" jsonb;--> statement-breakpoint
ALTER TABLE "announcements" ADD CONSTRAINT "announcements_api_id_apis_id_fk" FOREIGN KEY ("api_id") REFERENCES "public"."apis"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "announcements" ADD CONSTRAINT "announcements_promotion_id_promotions_id_fk" FOREIGN KEY ("promotion_id") REFERENCES "public"."promotions"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "announcements" ADD CONSTRAINT "announcements_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "announcements_api_id_index" ON "announcements" USING btree ("api_id");--> statement-breakpoint
CREATE INDEX "announcements_promotion_id_index" ON "announcements" USING btree ("promotion_id");--> statement-breakpoint
CREATE INDEX "announcements_placement_id_index" ON "announcements" USING btree ("placement_id");--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_announcement_id_announcements_id_fk" FOREIGN KEY ("announcement_id") REFERENCES "public"."announcements"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "notices_announcement_id_index" ON "notices" USING btree ("announcement_id");--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_event" CHECK ("notices"."event" in ('began', 'ended', 'test', 'waiting', 'announced'));--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_of_one" CHECK (num_nonnulls(alert_id, person_id, announcement_id) = 1);--> statement-breakpoint
ALTER TABLE "promotions" ADD CONSTRAINT "promotions_kind" CHECK ("promotions"."kind" in ('promotion', 'change', 'removal', 'put-back', 'keep', 'ending'));--> statement-breakpoint
ALTER TABLE "announcements" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "announcements" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "announcements"
  USING (EXISTS (SELECT 1 FROM "apis" a WHERE a.id = api_id)) WITH CHECK (true);--> statement-breakpoint
ALTER POLICY seen ON "notices" USING ((alert_id IS NULL OR EXISTS (SELECT FROM "alerts" a WHERE a."id" = "alert_id"))
  AND (announcement_id IS NULL OR EXISTS (SELECT FROM "announcements" n WHERE n."id" = "announcement_id")));
