-- What the journal feed needs in the database, once per database. Run by its owner; application
-- roles need no rights on it: the trigger functions run with their owner's.
CREATE SCHEMA IF NOT EXISTS warm_shelf;

-- One row per changing statement and table. The transaction's id, not the order of rows, tells a
-- reader what is new to it: transactions commit in another order than they write here. "told" holds
-- the groups that the changed rows were in before or are in now; null means not told apart.
CREATE TABLE IF NOT EXISTS warm_shelf.journal (
  xid   xid8 NOT NULL DEFAULT pg_current_xact_id(),
  lane  text NOT NULL,
  kind  text NOT NULL,
  at    timestamptz NOT NULL DEFAULT clock_timestamp(),
  told  text[]
);

-- Names this installation, and tells through which transaction rows have been trimmed. A reader that
-- finds another name, or whose place is older than the trimming, has lost its place.
CREATE TABLE IF NOT EXISTS warm_shelf.installation (
  name             uuid NOT NULL,
  trimmed_through  xid8 NOT NULL DEFAULT '0',
  version          int NOT NULL DEFAULT 2,
  retention        interval NOT NULL DEFAULT '1 hour'
);

-- What an older installation lacks. Nothing is locked where nothing is missing: readers follow, and
-- programs write, while this runs.
DO $older$
BEGIN
  IF to_regclass('warm_shelf.journal_xid') IS NULL THEN
    CREATE INDEX journal_xid ON warm_shelf.journal (xid);
  END IF;
  IF NOT EXISTS (SELECT FROM pg_attribute
                 WHERE attrelid = 'warm_shelf.journal'::regclass AND attname = 'told') THEN
    ALTER TABLE warm_shelf.journal ADD COLUMN told text[];
  END IF;
  IF NOT EXISTS (SELECT FROM pg_attribute
                 WHERE attrelid = 'warm_shelf.installation'::regclass AND attname = 'retention') THEN
    ALTER TABLE warm_shelf.installation
      ADD COLUMN version int NOT NULL DEFAULT 1,
      ADD COLUMN retention interval NOT NULL DEFAULT '1 hour';
  END IF;
END
$older$;

INSERT INTO warm_shelf.installation (name) SELECT gen_random_uuid()
WHERE NOT EXISTS (SELECT FROM warm_shelf.installation);

-- Now and then: the transactions below "passed" had ended at this moment.
CREATE TABLE IF NOT EXISTS warm_shelf.mark (
  passed  xid8 NOT NULL,
  at      timestamptz NOT NULL DEFAULT clock_timestamp()
);

-- Forgets rows whose transactions had ended before the retention began. Readers call it, and, lest
-- the journal grow for ever when nobody reads, every thousandth writer. It never waits for anybody,
-- and keeps out of transactions in which its update could fail.
DROP FUNCTION IF EXISTS warm_shelf.trim_journal(interval);
CREATE OR REPLACE FUNCTION warm_shelf.trim_journal() RETURNS bigint
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
DECLARE
  keep interval := (SELECT retention FROM warm_shelf.installation);
  cut xid8;
  last xid8;
  gone bigint := 0;
BEGIN
  IF current_setting('transaction_isolation') <> 'read committed'
     OR NOT pg_try_advisory_xact_lock(7214306551892114007) THEN
    RETURN 0;
  END IF;
  INSERT INTO warm_shelf.mark (passed) SELECT pg_snapshot_xmin(pg_current_snapshot())
  WHERE NOT EXISTS (SELECT FROM warm_shelf.mark WHERE at > clock_timestamp() - keep / 8);
  SELECT passed INTO cut FROM warm_shelf.mark WHERE at < clock_timestamp() - keep
  ORDER BY passed DESC LIMIT 1;
  IF cut IS NULL THEN
    RETURN 0;
  END IF;
  DELETE FROM warm_shelf.mark WHERE passed < cut;
  WITH old AS MATERIALIZED (
    SELECT ctid FROM warm_shelf.journal WHERE xid < cut ORDER BY xid LIMIT 20000
  ), deleted AS (
    DELETE FROM warm_shelf.journal WHERE ctid = ANY (ARRAY(SELECT ctid FROM old)) RETURNING xid
  )
  SELECT count(*), (array_agg(xid ORDER BY xid DESC))[1] INTO gone, last FROM deleted;
  UPDATE warm_shelf.installation SET trimmed_through = last WHERE trimmed_through < last;
  RETURN gone;
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.trim_journal() FROM PUBLIC;

-- Changes of the schema count too: a view may come to stand for other tables, a function for another
-- result. Only a superuser may have this watched; without it, tell WarmShelf.schemaChanged().
CREATE OR REPLACE FUNCTION warm_shelf.note_schema_change() RETURNS event_trigger
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
BEGIN
  IF TG_EVENT = 'sql_drop' THEN
    IF EXISTS (SELECT FROM pg_event_trigger_dropped_objects()
               WHERE NOT is_temporary AND object_type NOT IN ('index', 'sequence')) THEN
      INSERT INTO warm_shelf.journal (lane, kind) VALUES ('*', TG_TAG);
    END IF;
  ELSIF EXISTS (SELECT FROM pg_event_trigger_ddl_commands()
                WHERE schema_name IS DISTINCT FROM 'pg_temp'
                  AND command_tag NOT IN ('CREATE INDEX', 'COMMENT', 'REFRESH MATERIALIZED VIEW',
                                          'CREATE SEQUENCE', 'ALTER SEQUENCE')) THEN
    INSERT INTO warm_shelf.journal (lane, kind) VALUES ('*', TG_TAG);
  END IF;
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.note_schema_change() FROM PUBLIC;

DO $watch$
BEGIN
  IF (SELECT rolsuper FROM pg_roles WHERE rolname = current_user)
     AND NOT EXISTS (SELECT FROM pg_event_trigger WHERE evtname = 'warm_shelf_schema') THEN
    CREATE EVENT TRIGGER warm_shelf_schema ON ddl_command_end
      EXECUTE FUNCTION warm_shelf.note_schema_change();
    CREATE EVENT TRIGGER warm_shelf_drop ON sql_drop
      EXECUTE FUNCTION warm_shelf.note_schema_change();
    ALTER EVENT TRIGGER warm_shelf_schema ENABLE ALWAYS;
    ALTER EVENT TRIGGER warm_shelf_drop ENABLE ALWAYS;
  END IF;
END
$watch$;
