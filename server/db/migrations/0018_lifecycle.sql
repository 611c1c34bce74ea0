ALTER TABLE "apis" ADD COLUMN "deprecated_on" date;--> statement-breakpoint
-- The ledger knows when it was said; what it does not know stays unknown.
UPDATE "apis" SET "deprecated_on" = (
  SELECT max("ledger"."at")::date FROM "ledger"
  WHERE "ledger"."api_id" = "apis"."id" AND "ledger"."action" = 'api.changed'
    AND "ledger"."after" ->> 'lifecycle' = 'deprecated'
    AND "ledger"."before" ->> 'lifecycle' IS DISTINCT FROM 'deprecated'
) WHERE "lifecycle" = 'deprecated';
