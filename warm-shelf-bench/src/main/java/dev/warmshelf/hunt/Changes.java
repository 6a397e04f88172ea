package dev.warmshelf.hunt;

import java.util.SplittableRandom;

/** Changes made at random, as another program would make them: in plain SQL. */
final class Changes {
  /** Everything as it was at the beginning. */
  static final String RESET =
      """
      TRUNCATE node, edge, part, beast, bird, "Odd ""Name", audit, mark RESTART IDENTITY;
      CREATE OR REPLACE VIEW calm AS SELECT id, k, name, day FROM node WHERE mood = 'calm';
      CREATE OR REPLACE FUNCTION twice_of(int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 * 2';
      INSERT INTO mark SELECT i, 1 + i % 20, (ARRAY['x', 'y', 'z'])[1 + i % 3],
             date '2026-05-01' + i % 4, i % 6
      FROM generate_series(1, 24) i;
      INSERT INTO node (id, k, parent, name, code, padded, day, flag, uid, amount, at, tags, doc, big,
                        mood, dom, span)
      SELECT i, i % 5, nullif(i / 2, 0), (ARRAY['ash', 'birch', 'cedar', 'it''s', ''])[1 + i % 5],
             (ARRAY['ash', 'birch'])[1 + i % 2], 'p' || i % 3, date '2026-05-01' + i % 4, i % 2 = 0,
             ('00000000-0000-0000-0000-00000000000' || i % 3)::uuid, i * 0.5,
             timestamptz '2026-05-01 12:00Z' + i * interval '1 hour', ARRAY['t' || i % 2],
             jsonb_build_object('n', i), i % 4, (ARRAY['calm', 'rough', 'storm']::mood[])[1 + i % 3],
             i % 9, int4range(i, i + 3)
      FROM generate_series(1, 12) i;
      INSERT INTO edge SELECT i, 1 + i % 8, (ARRAY['x', 'y', 'z'])[1 + i % 3], i % 5
      FROM generate_series(1, 20) i;
      INSERT INTO part SELECT i, i % 8, date '2026-05-01' + i % 4 FROM generate_series(1, 16) i;
      INSERT INTO beast SELECT i, i % 5, 'ash' FROM generate_series(1, 4) i;
      INSERT INTO bird SELECT i, i % 5, 'birch', 2 FROM generate_series(5, 8) i;
      INSERT INTO "Odd ""Name" SELECT i, i % 4, (ARRAY['ash', 'it''s'])[1 + i % 2]
      FROM generate_series(1, 6) i;
      """;

  private final SplittableRandom random;

  Changes(SplittableRandom random) {
    this.random = random;
  }

  /** One change, or a transaction of several. */
  String next() {
    return switch (random.nextInt(14)) {
      case 12 -> twice();
      case 13 -> "BEGIN; " + twice() + "; COMMIT";
      case 0 -> "BEGIN; " + single() + "; " + single() + "; COMMIT";
      case 1 -> "BEGIN; " + single() + "; SAVEPOINT s; " + single() + "; ROLLBACK TO s; COMMIT";
      case 2 -> "BEGIN; " + single() + "; ROLLBACK";
      default -> single();
    };
  }

  /** A row that moves twice before anybody looks, to where there was none. */
  private String twice() {
    int id = id();
    String move =
        one(
            "UPDATE node SET k = %d WHERE id = " + id,
            "UPDATE node SET big = %d WHERE id = " + id,
            "UPDATE mark SET edge_id = %d WHERE id = " + id,
            "UPDATE mark SET date = date '2030-01-01' + %d WHERE id = " + id,
            "UPDATE part SET k = %d WHERE id = " + id,
            "UPDATE beast SET k = %d WHERE id = " + (1 + random.nextInt(8)));
    return move.formatted(10 + random.nextInt(80)) + "; " + move.formatted(10 + random.nextInt(80));
  }

  /** Values are written anew, and no trigger tells of it. */
  private String rewritten() {
    return one(
        "ALTER TABLE mark ALTER \"end\" TYPE int USING (\"end\" + 1) % 9",
        "ALTER TABLE mark ALTER date TYPE date USING date + 1",
        "ALTER TABLE node ALTER big TYPE bigint USING (big + 1) % 5",
        "ALTER TABLE node ALTER dom TYPE small_int USING (dom + 1) % 9",
        "ALTER TABLE node ALTER amount TYPE numeric(10, 2) USING amount + 1",
        "ALTER TABLE node ALTER at TYPE timestamptz USING at + interval '1 hour'",
        "ALTER TABLE beast ALTER k TYPE int USING (k + 1) % 9",
        "ALTER TABLE \"Odd \"\"Name\" ALTER \"k.k\" TYPE int USING (\"k.k\" + 1) % 9");
  }

  private int id() {
    return 1 + random.nextInt(14);
  }

  private int small() {
    return random.nextInt(9);
  }

  private String one(String... of) {
    return of[random.nextInt(of.length)];
  }

  private String name() {
    return one("'ash'", "'birch'", "'cedar'", "'it''s'", "''", "'Ash'", "'ümlaut'", "NULL");
  }

  private String day() {
    return random.nextInt(12) == 0
        ? one(
            "'infinity'",
            "'-infinity'",
            "'0044-03-15 BC'",
            "'0044-03-15'",
            "'0001-01-01'",
            "'9999-12-31'",
            "'10000-01-01'")
        : "'2026-05-0" + (1 + random.nextInt(4)) + "'";
  }

  /** A change of what a view or a function means. */
  private String schema() {
    return one(
        "CREATE OR REPLACE VIEW calm AS SELECT id, k, name, day FROM node WHERE mood = '"
            + one("calm", "rough", "storm")
            + "'",
        "CREATE OR REPLACE FUNCTION twice_of(int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 * "
            + random.nextInt(4)
            + "'",
        "CREATE OR REPLACE FUNCTION plus(int, int) RETURNS int IMMUTABLE LANGUAGE sql AS 'SELECT $1 + $2 + "
            + random.nextInt(3)
            + "'");
  }

  private String single() {
    int kind = random.nextInt(36);
    if (kind <= 10) {
      return ofNodes(kind);
    } else if (kind <= 16) {
      return ofEdges(kind);
    } else if (kind <= 23) {
      return ofOtherTables(kind);
    } else if (kind >= 27 && kind <= 32) {
      return ofMarks(kind);
    }
    return switch (kind) {
      case 33 -> schema();
      case 34 ->
          random.nextInt(3) == 0
              ? rewritten()
              : "UPDATE part SET k = " + small() + " WHERE id = " + id();
      case 35 -> "UPDATE part SET day = " + day() + ", k = " + small() + " WHERE id = " + id();
      case 24 ->
          "MERGE INTO node n USING (VALUES ("
              + id()
              + ")) v(id) ON n.id = v.id WHEN MATCHED AND"
              + " n.k > 2 THEN DELETE WHEN MATCHED THEN UPDATE SET k = 4 WHEN NOT MATCHED THEN INSERT (id,"
              + " k) VALUES (v.id, 1)";
      case 25 ->
          random.nextInt(8) == 0
              ? "TRUNCATE " + one("edge", "part", "part_low", "bird")
              : "UPDATE node SET uid = NULL, span = NULL WHERE id = " + id();
      default ->
          "SET TimeZone = '"
              + one("Pacific/Apia", "UTC", "Asia/Tokyo")
              + "'; UPDATE node SET day = "
              + day()
              + " WHERE id = "
              + id()
              + "; RESET TimeZone";
    };
  }

  private String ofNodes(int kind) {
    return switch (kind) {
      case 0, 1, 2 -> "UPDATE node SET k = " + small() + " WHERE id = " + id();
      case 3 -> "UPDATE node SET name = " + name() + ", code = " + name() + " WHERE id = " + id();
      case 4 -> "UPDATE node SET day = day + 1 WHERE k = " + small();
      case 5 -> "UPDATE node SET mood = '" + one("calm", "rough", "storm") + "' WHERE id = " + id();
      case 6 -> "UPDATE node SET parent = " + one("NULL", "1", "2") + " WHERE id = " + id();
      case 7 ->
          "UPDATE node SET flag = NOT flag, amount = amount + 1, doc = '{\"n\": 0}', tags = '{}',"
              + " big = "
              + small()
              + ", dom = "
              + small()
              + " WHERE id = "
              + id();
      case 8 -> "DELETE FROM node WHERE id = " + id();
      default ->
          "INSERT INTO node (id, k, name, day, flag, amount, mood, big, dom) VALUES ("
              + id()
              + ", "
              + small()
              + ", "
              + name()
              + ", "
              + day()
              + ", true, 2, 'calm', "
              + small()
              + ", 3) ON CONFLICT (id) DO UPDATE SET k = excluded.k, name = excluded.name";
    };
  }

  private String ofEdges(int kind) {
    return switch (kind) {
      case 11, 12 ->
          "UPDATE edge SET weight = " + small() + " WHERE id = " + (1 + random.nextInt(22));
      case 13 ->
          "UPDATE edge SET node_id = (SELECT id FROM node ORDER BY id OFFSET "
              + random.nextInt(3)
              + " LIMIT 1) WHERE id = "
              + (1 + random.nextInt(22));
      case 14 -> "UPDATE edge SET kind = '" + one("x", "y", "z") + "' WHERE weight = " + small();
      case 15 -> "DELETE FROM edge WHERE id = " + (1 + random.nextInt(22));
      default ->
          "INSERT INTO edge SELECT "
              + (1 + random.nextInt(22))
              + ", min(id), 'x', "
              + small()
              + " FROM node ON CONFLICT DO NOTHING";
    };
  }

  private String ofOtherTables(int kind) {
    return switch (kind) {
      case 17 -> "UPDATE part SET k = " + small() + " WHERE id = " + id();
      case 18 -> "INSERT INTO part VALUES (" + id() + ", " + small() + ", " + day() + ")";
      case 19 -> "DELETE FROM " + one("part", "part_low", "part_high") + " WHERE id = " + id();
      case 20 ->
          "UPDATE "
              + one("beast", "ONLY beast", "bird")
              + " SET k = "
              + small()
              + " WHERE id = "
              + (1 + random.nextInt(8));
      case 21 ->
          "INSERT INTO "
              + one("beast (id, k, name)", "bird (id, k, name)")
              + " VALUES ("
              + id()
              + ", "
              + small()
              + ", "
              + name()
              + ")";
      case 22 ->
          "UPDATE \"Odd \"\"Name\" SET \"k.k\" = "
              + small()
              + ", \"from\" = "
              + name()
              + " WHERE \"Sel ect\" = "
              + (1 + random.nextInt(6));
      default -> "UPDATE calm SET name = " + name() + " WHERE id = " + id();
    };
  }

  private String ofMarks(int kind) {
    return switch (kind) {
      case 27, 28 ->
          "UPDATE mark SET kind = '"
              + one("x", "y", "z")
              + "' WHERE id = "
              + (1 + random.nextInt(26));
      case 29 ->
          "UPDATE mark SET edge_id = "
              + one("NULL", "1", "3", "7")
              + " WHERE id = "
              + (1 + random.nextInt(26));
      case 30 ->
          "UPDATE mark SET date = "
              + day()
              + ", \"end\" = "
              + small()
              + " WHERE id = "
              + (1 + random.nextInt(26));
      case 31 -> "DELETE FROM mark WHERE id = " + (1 + random.nextInt(26));
      default ->
          "INSERT INTO mark VALUES ("
              + (20 + random.nextInt(12))
              + ", "
              + id()
              + ", '"
              + one("x", "y", "z")
              + "', "
              + day()
              + ", "
              + small()
              + ") ON CONFLICT (id) DO UPDATE SET kind = EXCLUDED.kind, edge_id = EXCLUDED.edge_id";
    };
  }
}
