ALTER TABLE "rollouts" ADD COLUMN "pace" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "held" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "rollouts" ADD COLUMN "paused_by" text DEFAULT '' NOT NULL;