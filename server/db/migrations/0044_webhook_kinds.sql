ALTER TABLE "repositories" ADD COLUMN "webhook_kind" text DEFAULT 'standard' NOT NULL;--> statement-breakpoint
ALTER TABLE "repositories" ADD COLUMN "webhook_header" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "repositories" ADD COLUMN "refused_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "repositories" ADD COLUMN "refused_why" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "repositories" ADD CONSTRAINT "repositories_webhook_kind" CHECK ("repositories"."webhook_kind" in ('standard', 'hmac-sha256', 'token'));