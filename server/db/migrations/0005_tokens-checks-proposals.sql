CREATE TABLE "checks" (
	"id" uuid PRIMARY KEY NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"state" text NOT NULL,
	"file" text NOT NULL,
	"api" integer,
	"team" text NOT NULL,
	"audience" text NOT NULL,
	"bytes" "bytea",
	"edition" integer DEFAULT 0 NOT NULL,
	"report" json,
	"trouble" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "proposals" (
	"id" serial PRIMARY KEY NOT NULL,
	"api" integer NOT NULL,
	"rule" text NOT NULL,
	"fix" jsonb NOT NULL,
	"state" text NOT NULL,
	"places" integer DEFAULT 0 NOT NULL,
	"trouble" text DEFAULT '' NOT NULL,
	"note" text NOT NULL,
	"by" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"decided_by" text,
	"decided_at" timestamp with time zone,
	"answer" text DEFAULT '' NOT NULL,
	"revision" integer
);
--> statement-breakpoint
CREATE TABLE "tokens" (
	"id" serial PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"name" text NOT NULL,
	"begins" text NOT NULL,
	"sha256" text NOT NULL,
	"scopes" text[] NOT NULL,
	"until" text NOT NULL,
	"made_at" timestamp with time zone NOT NULL,
	"used_at" timestamp with time zone,
	CONSTRAINT "tokens_sha256_unique" UNIQUE("sha256")
);
--> statement-breakpoint
ALTER TABLE "checks" ADD CONSTRAINT "checks_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "proposals" ADD CONSTRAINT "proposals_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "tokens" ADD CONSTRAINT "tokens_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "checks_at_index" ON "checks" USING btree ("at");--> statement-breakpoint
CREATE INDEX "proposals_api_index" ON "proposals" USING btree ("api");--> statement-breakpoint
CREATE INDEX "proposals_state_index" ON "proposals" USING btree ("state");