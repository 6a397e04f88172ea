-- A made-up town library: a second schema, of another kind than the ferry company's.
CREATE TABLE branch (id int PRIMARY KEY, name text NOT NULL, district text NOT NULL);
CREATE TABLE title (
  id int PRIMARY KEY, name text NOT NULL, author text NOT NULL, subject text NOT NULL, year int NOT NULL);
CREATE TABLE copy (
  id int PRIMARY KEY, title_id int NOT NULL REFERENCES title, branch_id int NOT NULL REFERENCES branch,
  shelf_mark text NOT NULL, state text NOT NULL);
CREATE TABLE member (id int PRIMARY KEY, name text NOT NULL, branch_id int NOT NULL, points int NOT NULL);
CREATE TABLE loan (
  id bigserial PRIMARY KEY, copy_id int NOT NULL REFERENCES copy, member_id int NOT NULL REFERENCES member,
  lent date NOT NULL, due date NOT NULL, back date);
CREATE TABLE opening (branch_id int NOT NULL, weekday int NOT NULL, opens time NOT NULL, closes time NOT NULL,
  PRIMARY KEY (branch_id, weekday));

INSERT INTO branch SELECT i, 'Branch ' || i, 'District ' || i % 4 FROM generate_series(1, 12) i;
INSERT INTO title
  SELECT i, 'Title ' || i, 'Author ' || i % 900, 'Subject ' || i % 40, 1950 + i % 75
  FROM generate_series(1, 8000) i;
INSERT INTO copy
  SELECT i, 1 + i % 8000, 1 + i % 12, 'M' || i % 500, CASE WHEN i % 9 = 0 THEN 'lent' ELSE 'in' END
  FROM generate_series(1, 30000) i;
INSERT INTO member SELECT i, 'Member ' || i, 1 + i % 12, 0 FROM generate_series(1, 4000) i;
INSERT INTO loan (copy_id, member_id, lent, due, back)
  SELECT 1 + (i * 7) % 30000, 1 + (i * 13) % 4000, date '2026-01-01' + i % 180, date '2026-01-29' + i % 180,
         CASE WHEN i % 5 > 0 THEN date '2026-01-20' + i % 180 END
  FROM generate_series(1, 120000) i;
INSERT INTO opening
  SELECT b, d, time '09:00', time '18:00' FROM generate_series(1, 12) b, generate_series(1, 6) d;
CREATE INDEX ON copy (title_id);
CREATE INDEX ON loan (member_id);
CREATE INDEX ON loan (copy_id);
VACUUM ANALYZE;
