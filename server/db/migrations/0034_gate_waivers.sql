CREATE TABLE "gate_waivers" (
	"promotion_id" integer NOT NULL,
	"gate" text NOT NULL,
	"state" text NOT NULL,
	"text" text NOT NULL,
	"reason" text NOT NULL,
	"basis" jsonb NOT NULL,
	"by_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"second_id" integer,
	"second_at" timestamp with time zone,
	CONSTRAINT "gate_waivers_promotion_id_gate_pk" PRIMARY KEY("promotion_id","gate"),
	CONSTRAINT "gate_waivers_state" CHECK ("gate_waivers"."state" in ('failed', 'waiting'))
);
--> statement-breakpoint
ALTER TABLE "gate_waivers" ADD CONSTRAINT "gate_waivers_promotion_id_promotions_id_fk" FOREIGN KEY ("promotion_id") REFERENCES "public"."promotions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "gate_waivers" ADD CONSTRAINT "gate_waivers_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "gate_waivers" ADD CONSTRAINT "gate_waivers_second_id_people_id_fk" FOREIGN KEY ("second_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;