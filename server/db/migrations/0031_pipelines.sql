CREATE TABLE "pipeline_editions" (
	"pipeline" text NOT NULL,
	"number" integer NOT NULL,
	"text" text NOT NULL,
	"content" jsonb NOT NULL,
	"note" text NOT NULL,
	"published_at" timestamp with time zone NOT NULL,
	"published_by_id" integer NOT NULL,
	CONSTRAINT "pipeline_editions_pipeline_number_pk" PRIMARY KEY("pipeline","number")
);
--> statement-breakpoint
CREATE TABLE "pipelines" (
	"slug" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"position" integer NOT NULL
);
--> statement-breakpoint
ALTER TABLE "pipeline_editions" ADD CONSTRAINT "pipeline_editions_pipeline_pipelines_slug_fk" FOREIGN KEY ("pipeline") REFERENCES "public"."pipelines"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "pipeline_editions" ADD CONSTRAINT "pipeline_editions_published_by_id_people_id_fk" FOREIGN KEY ("published_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;