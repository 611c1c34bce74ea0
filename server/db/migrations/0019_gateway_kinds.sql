CREATE TABLE "uploads" (
	"gateway" text PRIMARY KEY NOT NULL,
	"text" text NOT NULL,
	"etag" text NOT NULL,
	"uploaded_at" timestamp with time zone NOT NULL,
	"uploaded_by_id" integer NOT NULL
);
--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "kind" text DEFAULT 'admin-api' NOT NULL;--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "tls_url" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "folder" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "listeners" jsonb;--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "passed_over" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "uploads" ADD CONSTRAINT "uploads_gateway_gateways_name_fk" FOREIGN KEY ("gateway") REFERENCES "public"."gateways"("name") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "uploads" ADD CONSTRAINT "uploads_uploaded_by_id_people_id_fk" FOREIGN KEY ("uploaded_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "gateways" ADD CONSTRAINT "gateways_kind" CHECK ("gateways"."kind" in ('admin-api', 'files', 'uploaded'));