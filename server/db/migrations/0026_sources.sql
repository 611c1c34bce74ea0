ALTER TABLE "apis" ADD COLUMN "source_address" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "source_read_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "apis" ADD COLUMN "source_trouble" text DEFAULT '' NOT NULL;