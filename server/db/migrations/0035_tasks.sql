CREATE TABLE "notifications" (
	"person_id" integer PRIMARY KEY NOT NULL,
	"mail" text NOT NULL,
	"webhook" text NOT NULL,
	"sealed_secret" text NOT NULL,
	"kinds" jsonb NOT NULL,
	"when" text NOT NULL,
	"hour" integer NOT NULL,
	"time_zone" text NOT NULL,
	"told" jsonb NOT NULL,
	"told_on" date,
	CONSTRAINT "notifications_when" CHECK ("notifications"."when" in ('at-once', 'daily'))
);
--> statement-breakpoint
ALTER TABLE "notices" DROP CONSTRAINT "notices_event";--> statement-breakpoint
ALTER TABLE "notices" ALTER COLUMN "alert_id" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "notices" ADD COLUMN "person_id" integer;--> statement-breakpoint
ALTER TABLE "notices" ADD COLUMN "title" text;--> statement-breakpoint
ALTER TABLE "notices" ADD COLUMN "data" jsonb;--> statement-breakpoint
UPDATE "notices" SET "title" = a."title", "data" = jsonb_build_object('alert', a."id", 'title', a."title", 'kind', a."kind") FROM "alerts" a WHERE a."id" = "alert_id";--> statement-breakpoint
ALTER TABLE "notices" ALTER COLUMN "title" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "notices" ALTER COLUMN "data" SET NOT NULL;--> statement-breakpoint
ALTER TABLE "promotions" ADD COLUMN "needed_by" date;--> statement-breakpoint
ALTER TABLE "notifications" ADD CONSTRAINT "notifications_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_person_id_notifications_person_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."notifications"("person_id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "notices_person_id_index" ON "notices" USING btree ("person_id");--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_of_one" CHECK (num_nonnulls(alert_id, person_id) = 1);--> statement-breakpoint
ALTER TABLE "notices" ADD CONSTRAINT "notices_event" CHECK ("notices"."event" in ('began', 'ended', 'test', 'waiting'));--> statement-breakpoint
ALTER POLICY seen ON "notices" USING (alert_id IS NULL OR EXISTS (SELECT FROM "alerts" a WHERE a."id" = "alert_id"));
