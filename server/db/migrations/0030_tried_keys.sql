ALTER TABLE "requests" ADD COLUMN "tried_client" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "requests" ADD COLUMN "tried_placement" text DEFAULT '' NOT NULL;