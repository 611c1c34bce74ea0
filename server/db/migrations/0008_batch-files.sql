ALTER TABLE "batches" ADD COLUMN "files" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "intakes" ADD COLUMN "shown" jsonb DEFAULT '{"files":0,"errors":0,"warnings":0}'::jsonb NOT NULL;--> statement-breakpoint
CREATE INDEX "intakes_batch_index" ON "intakes" USING btree ("batch");