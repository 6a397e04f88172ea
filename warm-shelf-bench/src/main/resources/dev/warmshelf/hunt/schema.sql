-- A schema with the traits that PostgreSQL has, for the hunt. Values are few, so that they meet.
CREATE TYPE mood AS ENUM ('calm', 'rough', 'storm');
CREATE DOMAIN small_int AS int CHECK (VALUE < 1000);

CREATE TABLE node (
  id      int PRIMARY KEY,
  k       int,
  parent  int REFERENCES node ON DELETE SET NULL,
  name    text,
  code    varchar(8),
  padded  char(4),
  day     date,
  flag    boolean,
  uid     uuid,
  amount  numeric(10, 2),
  at      timestamptz,
  tags    text[],
  doc     jsonb,
  big     bigint,
  mood    mood,
  dom     small_int,
  twice   int GENERATED ALWAYS AS (k * 2) STORED,
  span    int4range
);
CREATE TABLE edge (
  id       int PRIMARY KEY,
  node_id  int REFERENCES node ON DELETE CASCADE,
  kind     text,
  weight   int
);
CREATE TABLE part (id int, k int NOT NULL, day date) PARTITION BY RANGE (k);
CREATE TABLE part_low PARTITION OF part FOR VALUES FROM (0) TO (3);
CREATE TABLE part_high PARTITION OF part FOR VALUES FROM (3) TO (100) PARTITION BY LIST (k);
CREATE TABLE part_high_odd PARTITION OF part_high FOR VALUES IN (3, 5, 7);
CREATE TABLE part_high_rest PARTITION OF part_high DEFAULT;
CREATE TABLE beast (id int, k int, name text);
CREATE TABLE bird (wings int) INHERITS (beast);
CREATE TABLE "Odd ""Name" ("Sel ect" int, "k.k" int, "from" text);
CREATE TABLE audit (id serial PRIMARY KEY, what text, node_id int);

CREATE FUNCTION note_edge() RETURNS trigger LANGUAGE plpgsql AS
  'BEGIN INSERT INTO audit (what, node_id) VALUES (TG_OP, coalesce(NEW.node_id, OLD.node_id)); RETURN NULL; END';
CREATE TRIGGER edge_audit AFTER INSERT OR DELETE ON edge FOR EACH ROW EXECUTE FUNCTION note_edge();

CREATE VIEW calm AS SELECT id, k, name, day FROM node WHERE mood = 'calm';
CREATE VIEW weights AS
  SELECT n.id, n.k, sum(e.weight) AS weight FROM node n JOIN edge e ON e.node_id = n.id GROUP BY n.id, n.k;
CREATE VIEW deep AS SELECT c.id, c.name, w.weight FROM calm c LEFT JOIN weights w ON w.id = c.id;
CREATE FUNCTION twice_of(int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 * 2';

CREATE TABLE mark (id int PRIMARY KEY, edge_id int, kind text, date date, "end" int);
CREATE FUNCTION bigger(int, int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT greatest($1, $2)';
CREATE AGGREGATE largest(int) (SFUNC = bigger, STYPE = int);
CREATE FUNCTION plus(int, int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 + $2';
CREATE OPERATOR <+> (LEFTARG = int, RIGHTARG = int, FUNCTION = plus);
CREATE VIEW kinds AS SELECT id, kind FROM edge UNION ALL SELECT id, kind FROM mark;
CREATE VIEW low_ones AS SELECT id, day FROM part_low;

-- Orders called like the usual ones, and the other way round.
CREATE SCHEMA upside;
CREATE FUNCTION upside.lt(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 > $2;
CREATE FUNCTION upside.le(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 >= $2;
CREATE FUNCTION upside.eq(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 = $2;
CREATE FUNCTION upside.ge(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 <= $2;
CREATE FUNCTION upside.gt(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 < $2;
CREATE FUNCTION upside.cmp(int, int) RETURNS int IMMUTABLE LANGUAGE sql RETURN sign($2::float8 - $1)::int;
CREATE OPERATOR upside.< (LEFTARG = int, RIGHTARG = int, FUNCTION = upside.lt, COMMUTATOR = OPERATOR(upside.>));
CREATE OPERATOR upside.> (LEFTARG = int, RIGHTARG = int, FUNCTION = upside.gt);
CREATE OPERATOR upside.<= (LEFTARG = int, RIGHTARG = int, FUNCTION = upside.le);
CREATE OPERATOR upside.>= (LEFTARG = int, RIGHTARG = int, FUNCTION = upside.ge);
CREATE OPERATOR upside.= (LEFTARG = int, RIGHTARG = int, FUNCTION = upside.eq, COMMUTATOR = OPERATOR(upside.=));
CREATE OPERATOR CLASS upside.down FOR TYPE int USING btree AS OPERATOR 1 upside.<,
  OPERATOR 2 upside.<=, OPERATOR 3 upside.=, OPERATOR 4 upside.>=, OPERATOR 5 upside.>,
  FUNCTION 1 upside.cmp(int, int);
