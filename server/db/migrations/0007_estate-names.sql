CREATE TABLE "estate_names" (
	"api" integer NOT NULL,
	"kind" text NOT NULL,
	"name" text NOT NULL,
	"shape" text NOT NULL
);
--> statement-breakpoint
ALTER TABLE "estate_names" ADD CONSTRAINT "estate_names_api_apis_id_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "estate_names_by_name" ON "estate_names" USING btree ("kind","name");--> statement-breakpoint
CREATE INDEX "estate_names_by_api" ON "estate_names" USING btree ("api");--> statement-breakpoint
-- Names that are too long for an index are compared with none.
CREATE FUNCTION note_estate_names(of_api integer, estate jsonb) RETURNS void LANGUAGE sql AS $$
  DELETE FROM estate_names WHERE api = of_api;
  INSERT INTO estate_names (api, kind, name, shape)
    SELECT of_api, 'basePath', path, ''
      FROM jsonb_array_elements_text(coalesce(estate -> 'basePaths', '[]')) AS path WHERE length(path) <= 600
    UNION ALL
    SELECT of_api, 'schema', pair ->> 0, pair ->> 1
      FROM jsonb_array_elements(coalesce(estate -> 'schemas', '[]')) AS pair WHERE length(pair ->> 0) <= 600;
$$;
--> statement-breakpoint
CREATE FUNCTION keep_estate_names() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM note_estate_names(NEW.id, NEW.estate);
  RETURN NULL;
END
$$;
--> statement-breakpoint
CREATE TRIGGER estate_names_follow AFTER INSERT OR UPDATE OF "estate" ON "apis"
  FOR EACH ROW EXECUTE FUNCTION keep_estate_names();
--> statement-breakpoint
SELECT note_estate_names(id, estate) FROM "apis" WHERE estate IS NOT NULL;
