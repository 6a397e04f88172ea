CREATE SCHEMA warm_shelf_store;

CREATE TABLE warm_shelf_store.settings (
  version int NOT NULL,
  at_most bigint NOT NULL CHECK (at_most > 0)
);

-- What it holds is of use as long as this server runs, and can be loaded again.
CREATE UNLOGGED TABLE warm_shelf_store.answer (
  digest bytea PRIMARY KEY,
  bytes bytea NOT NULL,
  shelf text NOT NULL,
  form text NOT NULL,
  load_micros bigint NOT NULL,
  ends timestamptz,
  stored timestamptz NOT NULL DEFAULT clock_timestamp(),
  used timestamptz NOT NULL DEFAULT clock_timestamp()
) WITH (fillfactor = 80);

-- Not compressed: that costs each reader time.
ALTER TABLE warm_shelf_store.answer ALTER COLUMN bytes SET STORAGE EXTERNAL;

CREATE UNLOGGED TABLE warm_shelf_store.place (
  stream text NOT NULL,
  reached text NOT NULL,
  noted timestamptz NOT NULL DEFAULT clock_timestamp()
);
