-- What the journal feed needs in the database, once per database. Run by its owner; application
-- roles need no rights on it: the trigger functions run with their owner's. No name here is looked up
-- on anybody's path but the system's own.
SET LOCAL search_path = pg_catalog, pg_temp;

-- What somebody else has put here beforehand would run with the rights of whoever installs, or could
-- be changed by its owner afterwards.
DO $prepared$
DECLARE
  found text := (
    SELECT string_agg(x.what || ' belongs to ' || x.owner, ', ')
    FROM (
      SELECT 'schema warm_shelf' AS what, pg_get_userbyid(n.nspowner) AS owner
      FROM pg_namespace n WHERE n.nspname = 'warm_shelf'
      UNION ALL
      SELECT c.relname, pg_get_userbyid(c.relowner) FROM pg_class c
      WHERE c.relnamespace = to_regnamespace('warm_shelf') AND c.relkind <> 'i'
      UNION ALL
      SELECT p.proname || '()', pg_get_userbyid(p.proowner) FROM pg_proc p
      WHERE p.pronamespace = to_regnamespace('warm_shelf')
      UNION ALL
      SELECT t.typname, pg_get_userbyid(t.typowner) FROM pg_type t
      WHERE t.typnamespace = to_regnamespace('warm_shelf')
    ) x
    WHERE x.owner NOT IN (current_user, 'warm_shelf'));
BEGIN
  IF found IS NOT NULL THEN
    RAISE EXCEPTION 'Something is there already that is not of this role: %. Nothing is installed on what somebody else may have prepared: install as that role, or take it away.', found
      USING ERRCODE = 'insufficient_privilege';
  END IF;
  found := (
    SELECT string_agg(x.what, ', ')
    FROM (
      SELECT 'trigger ' || g.tgname AS what
      FROM pg_trigger g JOIN pg_class c ON c.oid = g.tgrelid
      WHERE c.relnamespace = to_regnamespace('warm_shelf')
      UNION ALL
      SELECT 'rule ' || w.rulename
      FROM pg_rewrite w JOIN pg_class c ON c.oid = w.ev_class
      WHERE c.relnamespace = to_regnamespace('warm_shelf')
      UNION ALL
      SELECT 'type of column ' || a.attname
      FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
      WHERE c.relnamespace = to_regnamespace('warm_shelf') AND a.atttypid >= 16384
      UNION ALL
      SELECT 'child ' || c.relname
      FROM pg_inherits i JOIN pg_class c ON c.oid = i.inhrelid
           JOIN pg_class p ON p.oid = i.inhparent
      WHERE p.relnamespace = to_regnamespace('warm_shelf') AND c.relkind <> 'i'
    ) x);
  IF found IS NOT NULL THEN
    RAISE EXCEPTION 'What is there already has been altered: %. Take it away first.', found
      USING ERRCODE = 'insufficient_privilege';
  END IF;
  -- A superuser's installation is given to a role that can do nothing else, and that nobody can be.
  IF (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) THEN
    IF to_regrole('warm_shelf') IS NULL THEN
      CREATE ROLE warm_shelf NOLOGIN NOINHERIT;
    ELSIF EXISTS (SELECT FROM pg_roles
                  WHERE rolname = 'warm_shelf'
                    AND (rolsuper OR rolcanlogin OR rolcreaterole OR rolcreatedb OR rolreplication
                         OR rolbypassrls))
          OR EXISTS (SELECT FROM pg_auth_members m
                     WHERE m.roleid = to_regrole('warm_shelf') OR m.member = to_regrole('warm_shelf'))
    THEN
      RAISE EXCEPTION 'The role warm_shelf is to own the journal, and to be good for nothing else; but it may log in, may do more, or somebody is a member of it, or it of another. Mend that, or drop it, and install again.'
        USING ERRCODE = 'insufficient_privilege';
    END IF;
  END IF;
END
$prepared$;

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
-- from "awake_since" on know that somebody follows. Where "digests" is true, each table that is
-- followed has digests in the place of values.
CREATE TABLE IF NOT EXISTS warm_shelf.installation (
  name             uuid NOT NULL,
  trimmed_through  xid8 NOT NULL DEFAULT '0',
  version          int NOT NULL DEFAULT 7,
  retention        interval NOT NULL DEFAULT '1 hour',
  awake_since      xid8 NOT NULL DEFAULT '0',
  digests          boolean NOT NULL DEFAULT false
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
  IF NOT EXISTS (SELECT FROM pg_attribute
                 WHERE attrelid = 'warm_shelf.installation'::regclass AND attname = 'digests') THEN
    ALTER TABLE warm_shelf.installation ADD COLUMN digests boolean NOT NULL DEFAULT false;
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
  PERFORM FROM warm_shelf.installation FOR UPDATE; -- one at a time; who may not change it cannot wait
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
  IF current_setting('transaction_isolation') <> 'read committed' THEN
    RETURN 0;
  END IF;
  PERFORM FROM warm_shelf.installation FOR UPDATE SKIP LOCKED;
  IF NOT FOUND THEN
    RETURN 0; -- somebody else is about it, or about saying that he is there
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
  ELSIF length(name) > 500 OR name ~ '[[:cntrl:]]' THEN
    RAISE EXCEPTION 'a name to clear has 500 characters at most, and no control characters'
      USING ERRCODE = 'invalid_parameter_value';
  END IF;
  INSERT INTO warm_shelf.journal (lane, kind, shape, rows_before)
  VALUES ('!', what, name,
          ARRAY[ARRAY[session_user::text, current_setting('application_name', true)]]);
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.clear(text, text) FROM PUBLIC;

-- What the current transaction has noted so far, for the program that is about to commit it: first a
-- row that says how it is with all, then so many changes at most. "complete" says whether writers have
-- noted what they did since before the transaction had a number, and whether nothing is left that the
-- commit would do: a cursor that outlives it runs its query then. Deferred triggers must have run.
-- "others" are the transactions beyond the place that may have made one of the same rows what it was
-- before, or changed the schema; or so many that they say nothing. What is told of a table at large
-- stands on nobody.
CREATE OR REPLACE FUNCTION warm_shelf.own_changes(
  place pg_snapshot, most int, OUT installation text, OUT complete boolean, OUT xid text,
  OUT others text[], OUT lane text, OUT kind text, OUT shape text, OUT rows_before text[],
  OUT rows_after text[], OUT alike boolean[])
RETURNS SETOF record
LANGUAGE plpgsql STABLE SECURITY DEFINER
SET search_path = pg_catalog, pg_temp SET enable_seqscan = off AS $function$
#variable_conflict use_column
DECLARE
  this xid8 := pg_current_xact_id_if_assigned();
  since xid8;
  trimmed xid8;
BEGIN
  SELECT i.name::text, i.awake_since, i.trimmed_through INTO installation, since, trimmed
  FROM warm_shelf.installation i;
  complete := coalesce(since <= this, true) AND trimmed < pg_snapshot_xmin(place)
              AND coalesce(pg_sequence_last_value('warm_shelf.read_until'::regclass), 0)
                  > extract(epoch FROM clock_timestamp())
              AND NOT EXISTS (SELECT FROM pg_cursors c WHERE c.is_holdable);
  xid := this::text;
  IF this IS NOT NULL THEN
    others := ARRAY(
      SELECT j.xid::text
      FROM (SELECT xid, lane, kind, shape, rows_after FROM warm_shelf.journal
            WHERE xid >= pg_snapshot_xmax(place)
            UNION ALL
            SELECT xid, lane, kind, shape, rows_after FROM warm_shelf.journal
            WHERE xid = ANY (ARRAY(SELECT pg_snapshot_xip(place)))) j
           JOIN warm_shelf.journal o ON o.xid = this AND (o.lane = j.lane OR j.lane = '*')
      WHERE j.xid <> this
            AND CASE WHEN j.lane = '*' THEN true
                     WHEN o.kind = 'INSERT'
                     THEN o.rows_after IS NOT NULL AND j.rows_after IS NULL
                     ELSE o.rows_before IS NOT NULL AND j.kind <> 'DELETE'
                          AND (j.rows_after IS NULL OR j.shape IS DISTINCT FROM o.shape
                               OR array_length(j.rows_after, 1) > 16
                               OR array_length(o.rows_before, 1) > 16
                               OR EXISTS (
                                 SELECT FROM generate_subscripts(j.rows_after, 1) a
                                             CROSS JOIN generate_subscripts(o.rows_before, 1) b
                                 WHERE j.rows_after[a:a] = o.rows_before[b:b])) END
      LIMIT 50);
    complete := complete AND cardinality(others) < 50;
  END IF;
  RETURN NEXT;
  others := NULL;
  FOR lane, kind, shape, rows_before, rows_after, alike IN
    SELECT left(j.lane, 1000), left(j.kind, 100), left(j.shape, 1000), j.rows_before, j.rows_after,
           j.alike
    FROM warm_shelf.journal j WHERE j.xid = this LIMIT most
  LOOP
    RETURN NEXT;
  END LOOP;
END
$function$;
REVOKE ALL ON FUNCTION warm_shelf.own_changes(pg_snapshot, int) FROM PUBLIC;

-- Changes of the schema count too: a view may come to stand for other tables, a function for another
-- result. Only a superuser may have this watched; without it, tell WarmShelf.schemaChanged(). Left out
-- is what changes no answer, and what happens to temporary objects, with all that belongs to them.
-- ALTER TABLE is noted as it begins, too: DETACH PARTITION ... CONCURRENTLY commits half way, and what
-- it has done by then is seen by all.
CREATE OR REPLACE FUNCTION warm_shelf.note_schema_change() RETURNS event_trigger
LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $function$
DECLARE
  matters boolean;
BEGIN
  IF coalesce(pg_sequence_last_value('warm_shelf.read_until'::regclass), 0)
     < extract(epoch FROM clock_timestamp()) THEN
    RETURN; -- nobody has followed for so long that whoever comes begins anew
  END IF;
  IF TG_EVENT = 'ddl_command_start' THEN
    matters := true;
  ELSIF TG_EVENT = 'sql_drop' THEN
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
  IF (SELECT rolsuper FROM pg_roles WHERE rolname = current_user)
     AND NOT EXISTS (SELECT FROM pg_event_trigger WHERE evtname = 'warm_shelf_begin') THEN
    CREATE EVENT TRIGGER warm_shelf_begin ON ddl_command_start WHEN TAG IN ('ALTER TABLE')
      EXECUTE FUNCTION warm_shelf.note_schema_change();
    ALTER EVENT TRIGGER warm_shelf_begin ENABLE ALWAYS;
  END IF;
END
$watch$;

DO $owner$
DECLARE
  each record;
BEGIN
  IF (SELECT rolsuper FROM pg_roles WHERE rolname = current_user) THEN
    ALTER SCHEMA warm_shelf OWNER TO warm_shelf;
    FOR each IN
      SELECT c.relkind, c.oid::regclass AS name FROM pg_class c
      WHERE c.relnamespace = to_regnamespace('warm_shelf') AND c.relkind IN ('r', 'S')
        AND c.relowner <> to_regrole('warm_shelf')
    LOOP
      EXECUTE format('ALTER %s %s OWNER TO warm_shelf',
                     CASE each.relkind WHEN 'S' THEN 'SEQUENCE' ELSE 'TABLE' END, each.name);
    END LOOP;
    FOR each IN
      SELECT p.oid::regprocedure AS name FROM pg_proc p
      WHERE p.pronamespace = to_regnamespace('warm_shelf')
        AND p.proowner <> to_regrole('warm_shelf')
    LOOP
      EXECUTE format('ALTER FUNCTION %s OWNER TO warm_shelf', each.name);
    END LOOP;
  END IF;
END
$owner$;
