CREATE FUNCTION refuse_ledger_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION 'The ledger only grows: % is refused', TG_OP USING ERRCODE = 'insufficient_privilege';
END
$$;
--> statement-breakpoint
CREATE TRIGGER ledger_keeps_rows BEFORE UPDATE OR DELETE ON "ledger"
  FOR EACH ROW EXECUTE FUNCTION refuse_ledger_change();
--> statement-breakpoint
CREATE TRIGGER ledger_keeps_table BEFORE TRUNCATE ON "ledger"
  FOR EACH STATEMENT EXECUTE FUNCTION refuse_ledger_change();
