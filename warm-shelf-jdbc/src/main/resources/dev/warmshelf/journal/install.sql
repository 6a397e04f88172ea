-- What the journal feed needs in the database, once per database. Run by its owner; application
-- roles need no rights on it: the trigger function runs with its owner's.
CREATE SCHEMA IF NOT EXISTS warm_shelf;

-- One row per changing statement. The transaction's id, not the order of rows, tells a reader what
-- is new to it: transactions commit in another order than they write here.
CREATE TABLE IF NOT EXISTS warm_shelf.journal (
  xid   xid8 NOT NULL DEFAULT pg_current_xact_id(),
  lane  text NOT NULL,
  kind  text NOT NULL,
  at    timestamptz NOT NULL DEFAULT clock_timestamp()
);
CREATE INDEX IF NOT EXISTS journal_xid ON warm_shelf.journal (xid);

-- Names this installation, and tells through which transaction rows have been trimmed. A reader that
-- finds another name, or whose place is older than the trimming, has lost its place.
CREATE TABLE IF NOT EXISTS warm_shelf.installation (
  name             uuid NOT NULL,
  trimmed_through  xid8 NOT NULL DEFAULT '0'
);
INSERT INTO warm_shelf.installation (name) SELECT gen_random_uuid()
WHERE NOT EXISTS (SELECT FROM warm_shelf.installation);

-- Forgets rows that are older than asked and whose transactions every snapshot has passed.
CREATE OR REPLACE FUNCTION warm_shelf.trim_journal(keep interval) RETURNS bigint
LANGUAGE sql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
  WITH gone AS (
    DELETE FROM warm_shelf.journal
    WHERE at < clock_timestamp() - greatest(keep, interval '1 minute')
      AND xid < pg_snapshot_xmin(pg_current_snapshot())
    RETURNING xid
  ), noted AS (
    UPDATE warm_shelf.installation i SET trimmed_through = last.xid
    FROM (SELECT xid FROM gone ORDER BY xid DESC LIMIT 1) last
    WHERE i.trimmed_through < last.xid
  )
  SELECT count(*) FROM gone;
$function$;
REVOKE ALL ON FUNCTION warm_shelf.trim_journal(interval) FROM PUBLIC;

CREATE OR REPLACE FUNCTION warm_shelf.note_change() RETURNS trigger
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
BEGIN
  INSERT INTO warm_shelf.journal (lane, kind) VALUES (TG_ARGV[0], TG_OP);
  RETURN NULL;
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.note_change() FROM PUBLIC;

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
