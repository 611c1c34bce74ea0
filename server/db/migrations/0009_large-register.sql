DROP INDEX "findings_revision_index";--> statement-breakpoint
DROP INDEX "findings_rule_index";--> statement-breakpoint
DROP INDEX "tallies_api_at_index";--> statement-breakpoint
CREATE INDEX "findings_revision_level_line_index" ON "findings" USING btree ("revision","level","line");--> statement-breakpoint
CREATE INDEX "findings_rule_revision_index" ON "findings" USING btree ("rule","revision");--> statement-breakpoint
CREATE INDEX "findings_first_seen_index" ON "findings" USING btree ("first_seen");--> statement-breakpoint
CREATE INDEX "findings_waiver_index" ON "findings" USING btree ("waiver") WHERE waiver is not null;--> statement-breakpoint
CREATE INDEX "findings_set_aside" ON "findings" USING btree ("revision","rule") WHERE standing <> 'open';--> statement-breakpoint
CREATE INDEX "tallies_api_id_index" ON "tallies" USING btree ("api","id");