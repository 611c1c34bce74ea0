ALTER TABLE "people" ADD COLUMN "subject" text;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "expects_sign_on" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "settings" ADD COLUMN "public_address" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "settings" ADD COLUMN "retention" jsonb DEFAULT '{"snapshots":30,"checks":30,"intakes":30,"impacts":30}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "settings" ADD COLUMN "sign_on" jsonb;--> statement-breakpoint
ALTER TABLE "settings" ADD COLUMN "local_accounts" boolean DEFAULT true NOT NULL;--> statement-breakpoint
ALTER TABLE "people" ADD CONSTRAINT "people_subject_unique" UNIQUE("subject");