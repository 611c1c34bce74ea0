ALTER TABLE "traffic" DROP CONSTRAINT "traffic_resolution_at_series_pk";--> statement-breakpoint
ALTER TABLE "traffic" ADD CONSTRAINT "traffic_series_resolution_at_pk" PRIMARY KEY("series","resolution","at");--> statement-breakpoint
CREATE INDEX "traffic_series_grain_index" ON "traffic_series" USING btree ("grain");