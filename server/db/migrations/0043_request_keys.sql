CREATE TABLE "request_keys" (
	"person_id" integer NOT NULL,
	"key" text NOT NULL,
	"sha256" text NOT NULL,
	"tries" integer NOT NULL,
	"tried_at" timestamp with time zone NOT NULL,
	"done" boolean NOT NULL,
	"response" text,
	CONSTRAINT "request_keys_person_id_key_pk" PRIMARY KEY("person_id","key")
);
--> statement-breakpoint
ALTER TABLE "request_keys" ADD CONSTRAINT "request_keys_person_id_people_id_fk" FOREIGN KEY ("person_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "request_keys_tried_at_index" ON "request_keys" USING btree ("tried_at");