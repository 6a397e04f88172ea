-- What the journal feed needs in the database, once per database. Run by its owner; application
-- roles need no rights on it: the trigger function runs with its owner's.
CREATE SCHEMA IF NOT EXISTS warm_shelf;

-- One row per changing statement. The transaction's id, not the order of rows, tells a reader what
-- is new to it: transactions commit in another order than they write here.
CREATE TABLE IF NOT EXISTS warm_shelf.journal (
  xid   xid8 NOT NULL DEFAULT pg_current_xact_id(),
  lane  text NOT NULL,
  kind  text NOT NULL
);
CREATE INDEX IF NOT EXISTS journal_xid ON warm_shelf.journal (xid);

-- Names this installation. A reader that finds another name has lost its place.
CREATE TABLE IF NOT EXISTS warm_shelf.installation (name uuid NOT NULL);
INSERT INTO warm_shelf.installation SELECT gen_random_uuid()
WHERE NOT EXISTS (SELECT FROM warm_shelf.installation);

CREATE OR REPLACE FUNCTION warm_shelf.note_change() RETURNS trigger
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
BEGIN
  INSERT INTO warm_shelf.journal (lane, kind) VALUES (TG_ARGV[0], TG_OP);
  RETURN NULL;
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.note_change() FROM PUBLIC;
