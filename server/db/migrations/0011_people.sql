CREATE TABLE "sign_in_attempts" (
	"id" bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY (sequence name "sign_in_attempts_id_seq" INCREMENT BY 1 MINVALUE 1 MAXVALUE 9223372036854775807 START WITH 1 CACHE 1),
	"name" text NOT NULL,
	"address" text NOT NULL,
	"at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
ALTER TABLE "batches" ADD COLUMN "accepted_by" text;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "ended_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "invitation_sha256" text;--> statement-breakpoint
ALTER TABLE "people" ADD COLUMN "invited_until" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "started_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "address" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "sessions" ADD COLUMN "agent" text DEFAULT '' NOT NULL;--> statement-breakpoint
CREATE INDEX "sign_in_attempts_name_at_index" ON "sign_in_attempts" USING btree ("name","at");--> statement-breakpoint
CREATE INDEX "sign_in_attempts_address_at_index" ON "sign_in_attempts" USING btree ("address","at");