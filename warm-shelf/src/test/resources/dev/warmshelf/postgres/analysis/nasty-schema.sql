CREATE SCHEMA yard;
CREATE TABLE yard.port (id int, depth int);
CREATE TABLE "Odd Name" ("Select" int, "from" text);
CREATE TABLE "booking.x" (id int);
CREATE TABLE crew (id int, name text);
CREATE TABLE officer (rank int) INHERITS (crew);
CREATE TABLE captain () INHERITS (officer);
CREATE TABLE rota (day date, crew_id int) PARTITION BY LIST (day);
CREATE TABLE rota_may PARTITION OF rota FOR VALUES IN ('2026-05-01') PARTITION BY RANGE (crew_id);
CREATE TABLE rota_may_low PARTITION OF rota_may FOR VALUES FROM (0) TO (100);
CREATE VIEW busy AS SELECT sailing_id, count(*) AS bookings FROM booking GROUP BY sailing_id;
CREATE VIEW busy_open AS SELECT o.id, b.bookings FROM open_sailing o JOIN busy b ON b.sailing_id = o.id;
CREATE VIEW yard.busiest AS WITH top AS (SELECT * FROM busy_open ORDER BY bookings DESC LIMIT 3)
  SELECT t.id, (SELECT max(name) FROM crew) AS name FROM top t;
CREATE VIEW "Odd View" AS SELECT "Select" AS a FROM "Odd Name" UNION SELECT id FROM yard.port;
CREATE FUNCTION tariff(int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 * 100';
