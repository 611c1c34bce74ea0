-- What is taken off a gateway belonged to no API: everybody sees that, as they see rollouts of policies.
DROP POLICY seen ON "rollouts";--> statement-breakpoint
CREATE POLICY seen ON "rollouts" USING (
  ("api_id" IS NULL AND "change" ->> 'kind' IN ('policies', 'take-off'))
  OR EXISTS (SELECT 1 FROM "apis" a WHERE a.id = "rollouts"."api_id")) WITH CHECK (true);
