CREATE TABLE "comparison_changes" (
	"result_id" integer NOT NULL,
	"position" integer NOT NULL,
	"effect" text NOT NULL,
	"direction" text NOT NULL,
	"kind" text NOT NULL,
	"part" text NOT NULL,
	"operation" text NOT NULL,
	"formerly" text NOT NULL,
	"subject" text NOT NULL,
	"message" text NOT NULL,
	"before" jsonb,
	"after" jsonb,
	"witness" json,
	"undecided" text NOT NULL,
	"ways" jsonb NOT NULL,
	CONSTRAINT "comparison_changes_result_id_position_pk" PRIMARY KEY("result_id","position"),
	CONSTRAINT "comparison_changes_effect" CHECK ("comparison_changes"."effect" in ('breaking', 'risky', 'safe')),
	CONSTRAINT "comparison_changes_kind" CHECK ("comparison_changes"."kind" in ('added', 'removed', 'changed', 'renamed', 'moved'))
);
--> statement-breakpoint
CREATE TABLE "comparison_results" (
	"id" serial PRIMARY KEY NOT NULL,
	"before_digest" text NOT NULL,
	"after_digest" text NOT NULL,
	"method" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"before_files" jsonb NOT NULL,
	"after_files" jsonb NOT NULL,
	"state" text NOT NULL,
	"total" integer DEFAULT 0 NOT NULL,
	"done" integer DEFAULT 0 NOT NULL,
	"trouble" text DEFAULT '' NOT NULL,
	"counts" jsonb DEFAULT '{"breaking":0,"risky":0,"safe":0}'::jsonb NOT NULL,
	"before_version" text DEFAULT '' NOT NULL,
	"after_version" text DEFAULT '' NOT NULL,
	"fitting" jsonb,
	CONSTRAINT "comparison_results_state" CHECK ("comparison_results"."state" in ('waiting', 'running', 'done', 'failed'))
);
--> statement-breakpoint
CREATE TABLE "comparisons" (
	"id" uuid PRIMARY KEY NOT NULL,
	"by_id" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"before_revision_id" integer,
	"after_revision_id" integer,
	"result_id" integer NOT NULL
);
--> statement-breakpoint
ALTER TABLE "comparison_changes" ADD CONSTRAINT "comparison_changes_result_id_comparison_results_id_fk" FOREIGN KEY ("result_id") REFERENCES "public"."comparison_results"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comparisons" ADD CONSTRAINT "comparisons_by_id_people_id_fk" FOREIGN KEY ("by_id") REFERENCES "public"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comparisons" ADD CONSTRAINT "comparisons_before_revision_id_revisions_id_fk" FOREIGN KEY ("before_revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comparisons" ADD CONSTRAINT "comparisons_after_revision_id_revisions_id_fk" FOREIGN KEY ("after_revision_id") REFERENCES "public"."revisions"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "comparisons" ADD CONSTRAINT "comparisons_result_id_comparison_results_id_fk" FOREIGN KEY ("result_id") REFERENCES "public"."comparison_results"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "comparison_changes_result_id_operation_index" ON "comparison_changes" USING btree ("result_id","operation");--> statement-breakpoint
CREATE UNIQUE INDEX "comparison_results_before_digest_after_digest_method_index" ON "comparison_results" USING btree ("before_digest","after_digest","method");--> statement-breakpoint
CREATE INDEX "comparisons_result_id_index" ON "comparisons" USING btree ("result_id");--> statement-breakpoint
CREATE INDEX "comparisons_at_index" ON "comparisons" USING btree ("at");--> statement-breakpoint
-- A comparison is seen by whoever sees both of its revisions; a result is reached through comparisons alone.
ALTER TABLE "comparisons" ENABLE ROW LEVEL SECURITY;--> statement-breakpoint
ALTER TABLE "comparisons" FORCE ROW LEVEL SECURITY;--> statement-breakpoint
CREATE POLICY seen ON "comparisons" USING (
  (before_revision_id IS NULL OR EXISTS (SELECT 1 FROM "revisions" r WHERE r.id = before_revision_id))
  AND (after_revision_id IS NULL OR EXISTS (SELECT 1 FROM "revisions" r WHERE r.id = after_revision_id))) WITH CHECK (true);
