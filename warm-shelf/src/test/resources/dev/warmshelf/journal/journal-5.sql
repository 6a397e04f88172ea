SET LOCAL lock_timeout = '5s';
-- What the journal feed needs in the database, once per database. Run by its owner; application
-- roles need no rights on it: the trigger functions run with their owner's.
CREATE SCHEMA IF NOT EXISTS warm_shelf;

-- One row per changing statement and table. The transaction's id, not the order of rows, tells a
-- reader what is new to it: transactions commit in another order than they write here. "shape" says
-- what the trigger was made with, and so which columns are meant: the tracked ones, whose values in
-- each changed row stand in "rows_before" and "rows_after", and those of which "alike" says whether
-- they are in each row what they were. Null means not told.
CREATE TABLE IF NOT EXISTS warm_shelf.journal (
  xid          xid8 NOT NULL DEFAULT pg_current_xact_id(),
  lane         text NOT NULL,
  kind         text NOT NULL,
  at           timestamptz NOT NULL DEFAULT clock_timestamp(),
  shape        text,
  rows_before  text[],
  rows_after   text[],
  alike        boolean[]
);

-- Names this installation, and tells through which transaction rows have been trimmed. A reader that
-- finds another name, or whose place is older than the trimming, has lost its place. All transactions
-- from "awake_since" on know that somebody follows.
CREATE TABLE IF NOT EXISTS warm_shelf.installation (
  name             uuid NOT NULL,
  trimmed_through  xid8 NOT NULL DEFAULT '0',
  version          int NOT NULL DEFAULT 5,
  retention        interval NOT NULL DEFAULT '1 hour',
  awake_since      xid8 NOT NULL DEFAULT '0'
);

-- What an older installation lacks. Nothing is locked where nothing is missing: readers follow, and
-- programs write, while this runs.
DO $older$
BEGIN
  IF to_regclass('warm_shelf.journal_xid') IS NULL THEN
    CREATE INDEX journal_xid ON warm_shelf.journal (xid);
  END IF;
  IF NOT EXISTS (SELECT FROM pg_attribute
                 WHERE attrelid = 'warm_shelf.journal'::regclass AND attname = 'shape') THEN
    ALTER TABLE warm_shelf.journal
      ADD COLUMN shape text,
      ADD COLUMN rows_before text[],
      ADD COLUMN rows_after text[],
      ADD COLUMN alike boolean[];
  END IF;
  IF NOT EXISTS (SELECT FROM pg_attribute
                 WHERE attrelid = 'warm_shelf.installation'::regclass AND attname = 'retention') THEN
    ALTER TABLE warm_shelf.installation
      ADD COLUMN version int NOT NULL DEFAULT 1,
      ADD COLUMN retention interval NOT NULL DEFAULT '1 hour';
  END IF;
  IF NOT EXISTS (SELECT FROM pg_attribute
                 WHERE attrelid = 'warm_shelf.installation'::regclass
                   AND attname = 'awake_since') THEN
    ALTER TABLE warm_shelf.installation ADD COLUMN awake_since xid8 NOT NULL DEFAULT '0';
  END IF;
END
$older$;

INSERT INTO warm_shelf.installation (name) SELECT gen_random_uuid()
WHERE NOT EXISTS (SELECT FROM warm_shelf.installation);

-- The second until which somebody follows. When it has passed, nothing is noted any more, so that the
-- journal does not grow for ever when nobody reads it. A sequence, since all see its value at once,
-- whatever their snapshots.
CREATE SEQUENCE IF NOT EXISTS warm_shelf.read_until;

-- Whoever follows says so: at first, and then in time before "until". Whoever comes when nobody has
-- been there must wait for the transactions that may not have noted what they did: those below
-- "awake_since". To be called in a transaction of its own.
CREATE OR REPLACE FUNCTION warm_shelf.reader_is_here(OUT until bigint, OUT seconds bigint)
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
DECLARE
  before bigint;
  moment bigint;
  this bigint;
  drawn bigint;
BEGIN
  IF current_setting('transaction_isolation') <> 'read committed' THEN
    RAISE EXCEPTION 'to be called in a transaction at READ COMMITTED';
  END IF;
  PERFORM pg_advisory_xact_lock(7214306551892114008);
  before := coalesce(pg_sequence_last_value('warm_shelf.read_until'), 0);
  moment := floor(extract(epoch FROM clock_timestamp()));
  SELECT extract(epoch FROM retention) INTO seconds FROM warm_shelf.installation;
  until := greatest(before, moment + seconds);
  PERFORM setval('warm_shelf.read_until', until);
  IF before <= moment THEN
    -- Which transactions may have begun before? A subtransaction's number is drawn now, after all
    -- of theirs; this one's own was not, and a snapshot's xmax tells only of those that have ended.
    BEGIN
      UPDATE warm_shelf.installation SET awake_since = awake_since;
      drawn := (SELECT i.xmin::text::bigint FROM warm_shelf.installation i);
    EXCEPTION WHEN assert_failure THEN -- what makes this block a subtransaction
      RAISE;
    END;
    this := pg_current_xact_id()::text::bigint;
    drawn := this - this % 4294967296 + drawn
             + CASE WHEN drawn < this % 4294967296 THEN 4294967296 ELSE 0 END;
    UPDATE warm_shelf.installation SET awake_since = drawn::text::xid8;
  END IF;
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.reader_is_here() FROM PUBLIC;

-- Now and then: the transactions below "passed" had ended at this moment.
CREATE TABLE IF NOT EXISTS warm_shelf.mark (
  passed  xid8 NOT NULL,
  at      timestamptz NOT NULL DEFAULT clock_timestamp()
);

-- Forgets rows whose transactions had ended before the retention began. Readers call it; writers
-- never do. It never waits for anybody, and keeps out of transactions in which its update could fail.
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

-- Has all processes that follow clear what they keep: all, or of a shelf, table, tag, query or key of
-- this name. Whoever may run it may; who did is told to the processes, which log it.
CREATE OR REPLACE FUNCTION warm_shelf.clear(what text, name text) RETURNS void
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
BEGIN
  IF what NOT IN ('all', 'shelf', 'table', 'tag', 'query', 'key') THEN
    RAISE EXCEPTION '% cannot be cleared; expected all, shelf, table, tag, query or key',
      quote_nullable(what) USING ERRCODE = 'invalid_parameter_value';
  END IF;
  INSERT INTO warm_shelf.journal (lane, kind, shape, rows_before)
  VALUES ('!', what, name,
          ARRAY[ARRAY[session_user::text, current_setting('application_name', true)]]);
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.clear(text, text) FROM PUBLIC;

-- Changes of the schema count too: a view may come to stand for other tables, a function for another
-- result. Only a superuser may have this watched; without it, tell WarmShelf.schemaChanged(). Left out
-- is what changes no answer, and what happens to temporary objects, with all that belongs to them.
CREATE OR REPLACE FUNCTION warm_shelf.note_schema_change() RETURNS event_trigger
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
DECLARE
  matters boolean;
BEGIN
  IF coalesce(pg_sequence_last_value('warm_shelf.read_until'::regclass), 0)
     < extract(epoch FROM clock_timestamp()) THEN
    RETURN; -- nobody has followed for so long that whoever comes begins anew
  END IF;
  IF TG_EVENT = 'sql_drop' THEN
    -- With a temporary table go its defaults and constraints, which do not say that they were
    -- temporary: only what has a meaning of its own counts.
    matters := EXISTS (
      SELECT FROM pg_event_trigger_dropped_objects()
      WHERE NOT is_temporary AND address_names[1] IS DISTINCT FROM 'pg_temp'
        AND object_type NOT IN ('default value', 'domain constraint', 'index', 'sequence',
                                'statistics object', 'table constraint', 'toast table',
                                'default acl', 'publication', 'publication relation',
                                'publication namespace', 'subscription', 'event trigger',
                                'server', 'user mapping', 'foreign-data wrapper'));
  ELSE
    matters := EXISTS (
      SELECT FROM pg_event_trigger_ddl_commands() d
      WHERE d.schema_name IS DISTINCT FROM 'pg_temp'
        AND d.command_tag NOT IN (
          'ALTER DEFAULT PRIVILEGES', 'ALTER INDEX', 'ALTER PUBLICATION', 'ALTER SEQUENCE',
          'ALTER STATISTICS', 'ALTER SUBSCRIPTION', 'COMMENT', 'CREATE INDEX',
          'CREATE PUBLICATION', 'CREATE SEQUENCE', 'CREATE STATISTICS', 'CREATE SUBSCRIPTION',
          'REFRESH MATERIALIZED VIEW', 'REINDEX', 'SECURITY LABEL')
        AND NOT EXISTS (
          SELECT FROM pg_class c
          WHERE c.relpersistence = 't'
            AND c.oid = CASE d.classid
                          WHEN 'pg_trigger'::regclass
                            THEN (SELECT g.tgrelid FROM pg_trigger g WHERE g.oid = d.objid)
                          WHEN 'pg_rewrite'::regclass
                            THEN (SELECT r.ev_class FROM pg_rewrite r WHERE r.oid = d.objid)
                          WHEN 'pg_policy'::regclass
                            THEN (SELECT p.polrelid FROM pg_policy p WHERE p.oid = d.objid)
                          WHEN 'pg_class'::regclass THEN d.objid
                        END));
  END IF;
  IF matters THEN
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
UPDATE warm_shelf.installation SET version = 5;

CREATE OR REPLACE FUNCTION warm_shelf.note_7a7d75ea36ca3fd6() RETURNS trigger
LANGUAGE plpgsql SECURITY DEFINER AS $body$
DECLARE
  rows_before pg_catalog.text[];
  rows_after pg_catalog.text[];
  alike pg_catalog.bool[];
  seen pg_catalog.int8;
  many pg_catalog.int8;
BEGIN
  IF coalesce(pg_catalog.pg_sequence_last_value('warm_shelf.read_until'::pg_catalog.regclass), 0) OPERATOR(pg_catalog.<)
     pg_catalog.date_part('epoch', pg_catalog.clock_timestamp()) THEN
    RETURN NULL; -- nobody has followed for so long that whoever comes begins anew
  END IF;
  BEGIN -- one row
    IF TG_OP OPERATOR(pg_catalog.=) 'UPDATE' THEN
      SELECT ARRAY[ARRAY[pg_catalog.left(o."island", 100)]], ARRAY[ARRAY[pg_catalog.left(n."island", 100)]], ARRAY[coalesce(o."id" OPERATOR(pg_catalog.=) n."id", o."id" IS NULL AND n."id" IS NULL), coalesce(pg_catalog.pg_column_size(n."code"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."code" OPERATOR(pg_catalog.=) n."code", o."code" IS NULL AND n."code" IS NULL), coalesce(pg_catalog.pg_column_size(n."name"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."name" OPERATOR(pg_catalog.=) n."name", o."name" IS NULL AND n."name" IS NULL), coalesce(pg_catalog.pg_column_size(n."island"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."island" OPERATOR(pg_catalog.=) n."island", o."island" IS NULL AND n."island" IS NULL), coalesce(pg_catalog.pg_column_size(n."status"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."status" OPERATOR(pg_catalog.=) n."status", o."status" IS NULL AND n."status" IS NULL)] INTO STRICT rows_before, rows_after, alike FROM old_rows o, new_rows n;
    ELSIF TG_OP OPERATOR(pg_catalog.=) 'INSERT' THEN
      SELECT ARRAY[ARRAY[pg_catalog.left(r."island", 100)]] INTO STRICT rows_after FROM new_rows r;
    ELSIF TG_OP OPERATOR(pg_catalog.=) 'DELETE' THEN
      SELECT ARRAY[ARRAY[pg_catalog.left(r."island", 100)]] INTO STRICT rows_before FROM old_rows r;
    END IF;
  EXCEPTION
    WHEN NO_DATA_FOUND OR TOO_MANY_ROWS THEN
      BEGIN
      seen := 0;
      IF TG_OP OPERATOR(pg_catalog.<>) 'INSERT' THEN
        many := (SELECT pg_catalog.count(*) FROM (SELECT FROM old_rows LIMIT 1001) r);
        seen := seen OPERATOR(pg_catalog.+) many;
        IF many OPERATOR(pg_catalog.<=) 1000 THEN
          SELECT pg_catalog.array_agg(d.version) INTO rows_before
          FROM (SELECT DISTINCT ARRAY[pg_catalog.left(r."island", 100)] AS version FROM old_rows r LIMIT 257) d;
          IF pg_catalog.array_length(rows_before, 1) OPERATOR(pg_catalog.>) 256 THEN
            rows_before := NULL;
          END IF;
        END IF;
      END IF;
      IF TG_OP OPERATOR(pg_catalog.<>) 'DELETE' THEN
        many := (SELECT pg_catalog.count(*) FROM (SELECT FROM new_rows LIMIT 1001) r);
        seen := seen OPERATOR(pg_catalog.+) many;
        IF many OPERATOR(pg_catalog.<=) 1000 THEN
          SELECT pg_catalog.array_agg(d.version) INTO rows_after
          FROM (SELECT DISTINCT ARRAY[pg_catalog.left(r."island", 100)] AS version FROM new_rows r LIMIT 257) d;
          IF pg_catalog.array_length(rows_after, 1) OPERATOR(pg_catalog.>) 256 THEN
            rows_after := NULL;
          END IF;
        END IF;
      END IF;
      IF TG_OP OPERATOR(pg_catalog.=) 'UPDATE' AND seen OPERATOR(pg_catalog.<=) 2000 THEN
        SELECT CASE WHEN pg_catalog.bool_and(o."id" IS NOT NULL AND n."id" IS NOT NULL)
                    THEN ARRAY[pg_catalog.bool_and(coalesce(o."id" OPERATOR(pg_catalog.=) n."id", o."id" IS NULL AND n."id" IS NULL)), pg_catalog.bool_and(coalesce(pg_catalog.pg_column_size(n."code"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."code" OPERATOR(pg_catalog.=) n."code", o."code" IS NULL AND n."code" IS NULL)), pg_catalog.bool_and(coalesce(pg_catalog.pg_column_size(n."name"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."name" OPERATOR(pg_catalog.=) n."name", o."name" IS NULL AND n."name" IS NULL)), pg_catalog.bool_and(coalesce(pg_catalog.pg_column_size(n."island"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."island" OPERATOR(pg_catalog.=) n."island", o."island" IS NULL AND n."island" IS NULL)), pg_catalog.bool_and(coalesce(pg_catalog.pg_column_size(n."status"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."status" OPERATOR(pg_catalog.=) n."status", o."status" IS NULL AND n."status" IS NULL))] END
        INTO alike FROM old_rows o FULL JOIN new_rows n ON o."id" OPERATOR(pg_catalog.=) n."id";
      END IF;
        IF seen OPERATOR(pg_catalog.=) 0 THEN
          RETURN NULL; -- no row changed
        END IF;
      EXCEPTION WHEN OTHERS THEN
        rows_before := NULL;
        rows_after := NULL;
        alike := NULL;
      END;
    WHEN OTHERS THEN -- such as a column that is gone
      rows_before := NULL;
      rows_after := NULL;
      alike := NULL;
  END;
  INSERT INTO warm_shelf.journal (lane, kind, shape, rows_before, rows_after, alike)
  VALUES ('"public"."port"', TG_OP, '7cb4ac2242e3352d', rows_before, rows_after, alike);
  RETURN NULL;
END
$body$;
REVOKE ALL ON FUNCTION warm_shelf.note_7a7d75ea36ca3fd6() FROM PUBLIC;
COMMENT ON FUNCTION warm_shelf.note_7a7d75ea36ca3fd6() IS 'Notes changes of public.port for those who follow them.';
DROP TRIGGER IF EXISTS warm_shelf_change ON "public"."port";
DROP TRIGGER IF EXISTS warm_shelf_insert ON "public"."port";
CREATE TRIGGER warm_shelf_insert AFTER INSERT ON "public"."port" REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_7a7d75ea36ca3fd6('"public"."port"', 'island:TEXT', 'id:COMPARED', 'code:COMPARED', 'name:COMPARED', 'island:COMPARED', 'status:COMPARED');
ALTER TABLE "public"."port" ENABLE ALWAYS TRIGGER warm_shelf_insert;
DROP TRIGGER IF EXISTS warm_shelf_update ON "public"."port";
CREATE TRIGGER warm_shelf_update AFTER UPDATE ON "public"."port" REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_7a7d75ea36ca3fd6('"public"."port"', 'island:TEXT', 'id:COMPARED', 'code:COMPARED', 'name:COMPARED', 'island:COMPARED', 'status:COMPARED');
ALTER TABLE "public"."port" ENABLE ALWAYS TRIGGER warm_shelf_update;
DROP TRIGGER IF EXISTS warm_shelf_delete ON "public"."port";
CREATE TRIGGER warm_shelf_delete AFTER DELETE ON "public"."port" REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_7a7d75ea36ca3fd6('"public"."port"', 'island:TEXT', 'id:COMPARED', 'code:COMPARED', 'name:COMPARED', 'island:COMPARED', 'status:COMPARED');
ALTER TABLE "public"."port" ENABLE ALWAYS TRIGGER warm_shelf_delete;
DROP TRIGGER IF EXISTS warm_shelf_truncate ON "public"."port";
CREATE TRIGGER warm_shelf_truncate AFTER TRUNCATE ON "public"."port" 
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_7a7d75ea36ca3fd6('"public"."port"', 'island:TEXT', 'id:COMPARED', 'code:COMPARED', 'name:COMPARED', 'island:COMPARED', 'status:COMPARED');
ALTER TABLE "public"."port" ENABLE ALWAYS TRIGGER warm_shelf_truncate;

CREATE OR REPLACE FUNCTION warm_shelf.note_40bcc870193b8e29() RETURNS trigger
LANGUAGE plpgsql SECURITY DEFINER AS $body$
DECLARE
  rows_before pg_catalog.text[];
  rows_after pg_catalog.text[];
  alike pg_catalog.bool[];
  seen pg_catalog.int8;
  many pg_catalog.int8;
BEGIN
  IF coalesce(pg_catalog.pg_sequence_last_value('warm_shelf.read_until'::pg_catalog.regclass), 0) OPERATOR(pg_catalog.<)
     pg_catalog.date_part('epoch', pg_catalog.clock_timestamp()) THEN
    RETURN NULL; -- nobody has followed for so long that whoever comes begins anew
  END IF;
  BEGIN -- one row
    IF TG_OP OPERATOR(pg_catalog.=) 'UPDATE' THEN
      SELECT ARRAY[coalesce(o."id" OPERATOR(pg_catalog.=) n."id", o."id" IS NULL AND n."id" IS NULL), coalesce(o."route_id" OPERATOR(pg_catalog.=) n."route_id", o."route_id" IS NULL AND n."route_id" IS NULL), coalesce(o."vessel_id" OPERATOR(pg_catalog.=) n."vessel_id", o."vessel_id" IS NULL AND n."vessel_id" IS NULL), coalesce(o."leaves_at" OPERATOR(pg_catalog.=) n."leaves_at", o."leaves_at" IS NULL AND n."leaves_at" IS NULL), coalesce(o."day" OPERATOR(pg_catalog.=) n."day", o."day" IS NULL AND n."day" IS NULL), coalesce(pg_catalog.pg_column_size(n."status"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."status" OPERATOR(pg_catalog.=) n."status", o."status" IS NULL AND n."status" IS NULL), coalesce(o."version" OPERATOR(pg_catalog.=) n."version", o."version" IS NULL AND n."version" IS NULL)] INTO STRICT alike FROM old_rows o, new_rows n;
    ELSIF TG_OP OPERATOR(pg_catalog.=) 'INSERT' THEN
      SELECT 1 INTO STRICT seen FROM new_rows;
    ELSIF TG_OP OPERATOR(pg_catalog.=) 'DELETE' THEN
      SELECT 1 INTO STRICT seen FROM old_rows;
    END IF;
  EXCEPTION
    WHEN NO_DATA_FOUND OR TOO_MANY_ROWS THEN
      BEGIN
      seen := 0;
      IF TG_OP OPERATOR(pg_catalog.<>) 'INSERT' THEN
        many := (SELECT pg_catalog.count(*) FROM (SELECT FROM old_rows LIMIT 1001) r);
        seen := seen OPERATOR(pg_catalog.+) many;
      END IF;
      IF TG_OP OPERATOR(pg_catalog.<>) 'DELETE' THEN
        many := (SELECT pg_catalog.count(*) FROM (SELECT FROM new_rows LIMIT 1001) r);
        seen := seen OPERATOR(pg_catalog.+) many;
      END IF;
      IF TG_OP OPERATOR(pg_catalog.=) 'UPDATE' AND seen OPERATOR(pg_catalog.<=) 2000 THEN
        SELECT CASE WHEN pg_catalog.bool_and(o."id" IS NOT NULL AND n."id" IS NOT NULL)
                    THEN ARRAY[pg_catalog.bool_and(coalesce(o."id" OPERATOR(pg_catalog.=) n."id", o."id" IS NULL AND n."id" IS NULL)), pg_catalog.bool_and(coalesce(o."route_id" OPERATOR(pg_catalog.=) n."route_id", o."route_id" IS NULL AND n."route_id" IS NULL)), pg_catalog.bool_and(coalesce(o."vessel_id" OPERATOR(pg_catalog.=) n."vessel_id", o."vessel_id" IS NULL AND n."vessel_id" IS NULL)), pg_catalog.bool_and(coalesce(o."leaves_at" OPERATOR(pg_catalog.=) n."leaves_at", o."leaves_at" IS NULL AND n."leaves_at" IS NULL)), pg_catalog.bool_and(coalesce(o."day" OPERATOR(pg_catalog.=) n."day", o."day" IS NULL AND n."day" IS NULL)), pg_catalog.bool_and(coalesce(pg_catalog.pg_column_size(n."status"), 0) OPERATOR(pg_catalog.<) 2000 AND coalesce(o."status" OPERATOR(pg_catalog.=) n."status", o."status" IS NULL AND n."status" IS NULL)), pg_catalog.bool_and(coalesce(o."version" OPERATOR(pg_catalog.=) n."version", o."version" IS NULL AND n."version" IS NULL))] END
        INTO alike FROM old_rows o FULL JOIN new_rows n ON o."id" OPERATOR(pg_catalog.=) n."id";
      END IF;
        IF seen OPERATOR(pg_catalog.=) 0 THEN
          RETURN NULL; -- no row changed
        END IF;
      EXCEPTION WHEN OTHERS THEN
        rows_before := NULL;
        rows_after := NULL;
        alike := NULL;
      END;
    WHEN OTHERS THEN -- such as a column that is gone
      rows_before := NULL;
      rows_after := NULL;
      alike := NULL;
  END;
  INSERT INTO warm_shelf.journal (lane, kind, shape, rows_before, rows_after, alike)
  VALUES ('"public"."sailing"', TG_OP, 'a1df52add2383e9a', rows_before, rows_after, alike);
  RETURN NULL;
END
$body$;
REVOKE ALL ON FUNCTION warm_shelf.note_40bcc870193b8e29() FROM PUBLIC;
COMMENT ON FUNCTION warm_shelf.note_40bcc870193b8e29() IS 'Notes changes of public.sailing for those who follow them.';
DROP TRIGGER IF EXISTS warm_shelf_change ON "public"."sailing";
DROP TRIGGER IF EXISTS warm_shelf_insert ON "public"."sailing";
CREATE TRIGGER warm_shelf_insert AFTER INSERT ON "public"."sailing" REFERENCING NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_40bcc870193b8e29('"public"."sailing"', 'id:COMPARED', 'route_id:COMPARED', 'vessel_id:COMPARED', 'leaves_at:COMPARED', 'day:COMPARED', 'status:COMPARED', 'version:COMPARED');
ALTER TABLE "public"."sailing" ENABLE ALWAYS TRIGGER warm_shelf_insert;
DROP TRIGGER IF EXISTS warm_shelf_update ON "public"."sailing";
CREATE TRIGGER warm_shelf_update AFTER UPDATE ON "public"."sailing" REFERENCING OLD TABLE AS old_rows NEW TABLE AS new_rows
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_40bcc870193b8e29('"public"."sailing"', 'id:COMPARED', 'route_id:COMPARED', 'vessel_id:COMPARED', 'leaves_at:COMPARED', 'day:COMPARED', 'status:COMPARED', 'version:COMPARED');
ALTER TABLE "public"."sailing" ENABLE ALWAYS TRIGGER warm_shelf_update;
DROP TRIGGER IF EXISTS warm_shelf_delete ON "public"."sailing";
CREATE TRIGGER warm_shelf_delete AFTER DELETE ON "public"."sailing" REFERENCING OLD TABLE AS old_rows
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_40bcc870193b8e29('"public"."sailing"', 'id:COMPARED', 'route_id:COMPARED', 'vessel_id:COMPARED', 'leaves_at:COMPARED', 'day:COMPARED', 'status:COMPARED', 'version:COMPARED');
ALTER TABLE "public"."sailing" ENABLE ALWAYS TRIGGER warm_shelf_delete;
DROP TRIGGER IF EXISTS warm_shelf_truncate ON "public"."sailing";
CREATE TRIGGER warm_shelf_truncate AFTER TRUNCATE ON "public"."sailing" 
  FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_40bcc870193b8e29('"public"."sailing"', 'id:COMPARED', 'route_id:COMPARED', 'vessel_id:COMPARED', 'leaves_at:COMPARED', 'day:COMPARED', 'status:COMPARED', 'version:COMPARED');
ALTER TABLE "public"."sailing" ENABLE ALWAYS TRIGGER warm_shelf_truncate;
