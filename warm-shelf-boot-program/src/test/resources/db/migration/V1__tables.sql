CREATE TABLE berth (
  id      integer PRIMARY KEY,
  port    text    NOT NULL,
  vessel  text,
  version bigint  NOT NULL
);
INSERT INTO berth SELECT n, CASE WHEN n <= 20 THEN 'Norrhamn' ELSE 'Sund' END, NULL, 0 FROM generate_series(1, 40) n;
