CREATE TABLE "repositories" (
	"slug" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"url" text NOT NULL,
	"sealed_token" text NOT NULL,
	"sealed_secret" text NOT NULL,
	"status_url" text NOT NULL,
	"team_id" integer NOT NULL,
	"audience" text NOT NULL,
	"refs" jsonb NOT NULL,
	"definitions" jsonb NOT NULL,
	"set_by_id" integer NOT NULL,
	"set_at" timestamp with time zone NOT NULL,
	"read_at" timestamp with time zone,
	"trouble" text DEFAULT '' NOT NULL
);
--> statement-breakpoint
CREATE TABLE "repository_deliveries" (
	"repository" text NOT NULL,
	"id" text NOT NULL,
	"at" timestamp with time zone NOT NULL,
	CONSTRAINT "repository_deliveries_repository_id_pk" PRIMARY KEY("repository","id")
);
--> statement-breakpoint
CREATE TABLE "repository_job_lines" (
	"job_id" integer NOT NULL,
	"number" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"kind" text NOT NULL,
	"text" text NOT NULL,
	CONSTRAINT "repository_job_lines_job_id_number_pk" PRIMARY KEY("job_id","number"),
	CONSTRAINT "repository_job_lines_kind" CHECK ("repository_job_lines"."kind" in ('step', 'command', 'good', 'bad'))
);
--> statement-breakpoint
CREATE TABLE "repository_jobs" (
	"id" serial PRIMARY KEY NOT NULL,
	"repository" text NOT NULL,
	"ref" text NOT NULL,
	"stage" text NOT NULL,
	"cause" text NOT NULL,
	"state" text NOT NULL,
	"commit" text DEFAULT '' NOT NULL,
	"author" text DEFAULT '' NOT NULL,
	"message" text DEFAULT '' NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"ended_at" timestamp with time zone,
	"attempts" integer DEFAULT 0 NOT NULL,
	"cancelled_by" text DEFAULT '' NOT NULL,
	"says" text DEFAULT '' NOT NULL,
	"outcomes" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"report_due_at" timestamp with time zone,
	"report_tries" integer DEFAULT 0 NOT NULL,
	"reported" text DEFAULT '' NOT NULL,
	"report_trouble" text DEFAULT '' NOT NULL,
	CONSTRAINT "repository_jobs_cause" CHECK ("repository_jobs"."cause" in ('push', 'found', 'hand')),
	CONSTRAINT "repository_jobs_state" CHECK ("repository_jobs"."state" in ('waiting', 'running', 'done', 'failed', 'cancelled'))
);
--> statement-breakpoint
ALTER TABLE "repositories" ADD CONSTRAINT "repositories_team_id_teams_id_fk" FOREIGN KEY ("team_id") REFERENCES "public"."teams"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "repositories" ADD CONSTRAINT "repositories_set_by_id_people_id_fk" FOREIGN KEY ("set_by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "repository_deliveries" ADD CONSTRAINT "repository_deliveries_repository_repositories_slug_fk" FOREIGN KEY ("repository") REFERENCES "public"."repositories"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "repository_job_lines" ADD CONSTRAINT "repository_job_lines_job_id_repository_jobs_id_fk" FOREIGN KEY ("job_id") REFERENCES "public"."repository_jobs"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "repository_jobs" ADD CONSTRAINT "repository_jobs_repository_repositories_slug_fk" FOREIGN KEY ("repository") REFERENCES "public"."repositories"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "repository_jobs_repository_id_index" ON "repository_jobs" USING btree ("repository","id");--> statement-breakpoint
CREATE INDEX "repository_jobs_to_report" ON "repository_jobs" USING btree ("report_due_at");--> statement-breakpoint
CREATE UNIQUE INDEX "one_waiting_job" ON "repository_jobs" USING btree ("repository","ref") WHERE state = 'waiting';