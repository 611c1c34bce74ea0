ALTER TABLE "backends" DROP CONSTRAINT "backends_stage_stages_name_fk";
--> statement-breakpoint
ALTER TABLE "hosts" DROP CONSTRAINT "hosts_stage_stages_name_fk";
--> statement-breakpoint
ALTER TABLE "placements" DROP CONSTRAINT "placements_stage_stages_name_fk";
--> statement-breakpoint
ALTER TABLE "backends" ADD CONSTRAINT "backends_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE cascade ON UPDATE cascade;--> statement-breakpoint
ALTER TABLE "hosts" ADD CONSTRAINT "hosts_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE no action ON UPDATE cascade;--> statement-breakpoint
ALTER TABLE "placements" ADD CONSTRAINT "placements_stage_stages_name_fk" FOREIGN KEY ("stage") REFERENCES "public"."stages"("name") ON DELETE no action ON UPDATE cascade;