package dev.warmshelf.journal;

import dev.warmshelf.key.Lane;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import javax.sql.DataSource;

/**
 * The journal in a database: puts it there, says what it covers, takes it away. All of it lives in
 * the schema {@code warm_shelf}, but for one trigger per followed table.
 *
 * <p>Thread-safe. Needs a role that owns the tables and may create schemas.
 */
public final class Journal {
  /** A table with all its partitions or inheritance children, itself first. */
  private static final String MEMBERS =
      """
      WITH RECURSIVE member(oid, depth) AS (
        SELECT to_regclass(?)::oid, 0
        UNION ALL
        SELECT i.inhrelid, m.depth + 1 FROM member m JOIN pg_inherits i ON i.inhparent = m.oid
      )
      SELECT s.nspname, c.relname, c.relkind,
             EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = c.oid)
      FROM member m JOIN pg_class c ON c.oid = m.oid JOIN pg_namespace s ON s.oid = c.relnamespace
      ORDER BY m.depth, s.nspname, c.relname
      """;

  private static final String COVERED =
      """
      WITH RECURSIVE tree(root, member) AS (
        SELECT c.oid, c.oid FROM pg_class c
        WHERE c.relkind IN ('r', 'p')
          AND NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = c.oid)
        UNION ALL
        SELECT t.root, i.inhrelid FROM tree t JOIN pg_inherits i ON i.inhparent = t.member
      )
      SELECT s.nspname, c.relname
      FROM tree t
           JOIN pg_class c ON c.oid = t.root
           JOIN pg_namespace s ON s.oid = c.relnamespace
           LEFT JOIN pg_trigger g
                  ON g.tgrelid = t.member AND g.tgenabled IN ('O', 'A')
                 AND g.tgfoid = to_regproc('warm_shelf.note_change')
                 AND g.tgargs = convert_to(s.nspname || '.' || c.relname, 'UTF8') || '\\000'::bytea
      WHERE s.nspname NOT IN ('pg_catalog', 'information_schema', 'warm_shelf')
      GROUP BY s.nspname, c.relname
      HAVING count(*) = count(g.oid)
      """;

  private static final String TRIGGERS =
      """
      SELECT g.tgname, s.nspname, c.relname
      FROM pg_trigger g JOIN pg_class c ON c.oid = g.tgrelid
           JOIN pg_namespace s ON s.oid = c.relnamespace
      WHERE g.tgfoid = to_regproc('warm_shelf.note_change')
      """;

  private final DataSource dataSource;

  private Journal(DataSource dataSource) {
    this.dataSource = dataSource;
  }

  public static Journal on(DataSource dataSource) {
    return new Journal(dataSource);
  }

  /**
   * The SQL that {@link #install} runs, for a person to read or to run.
   *
   * @param tables names as SQL writes them: {@code booking}, {@code sky.port}, {@code "Odd Name"}
   * @throws SQLException if one of them is not a table, or is a partition of another
   */
  public String script(Collection<String> tables) throws SQLException {
    StringBuilder script = new StringBuilder(resource("install.sql"));
    try (Connection connection = dataSource.getConnection()) {
      for (String table : tables) {
        script.append('\n').append(triggers(connection, table));
      }
    }
    return script.toString();
  }

  /** Follows these tables, beside those followed already. In one transaction; repeatable. */
  public void install(Collection<String> tables) throws SQLException {
    run(script(tables));
  }

  /** Takes away the triggers, the schema and all that is in it. Repeatable. */
  public void remove() throws SQLException {
    StringBuilder script = new StringBuilder();
    script.append("DROP EVENT TRIGGER IF EXISTS warm_shelf_schema;\n");
    script.append("DROP EVENT TRIGGER IF EXISTS warm_shelf_drop;\n");
    try (Connection connection = dataSource.getConnection();
        Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(TRIGGERS)) {
      while (rows.next()) {
        script.append(
            String.format(
                "DROP TRIGGER %s ON %s.%s;%n",
                quoted(rows.getString(1)), quoted(rows.getString(2)), quoted(rows.getString(3))));
      }
    }
    run(script.append("DROP SCHEMA IF EXISTS warm_shelf CASCADE;").toString());
  }

  /**
   * The tables whose every change is noted: those whose trigger is there and enabled, on themselves
   * and on each partition or child.
   */
  public Set<Lane> covered() throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      return covered(connection);
    }
  }

  static Set<Lane> covered(Connection connection) throws SQLException {
    Set<Lane> lanes = new TreeSet<>();
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery(COVERED)) {
      while (rows.next()) {
        lanes.add(Lane.ofTable(rows.getString(1), rows.getString(2)));
      }
    }
    return lanes;
  }

  private static String triggers(Connection connection, String table) throws SQLException {
    List<String[]> members = members(connection, table);
    String lane = Lane.ofTable(members.get(0)[0], members.get(0)[1]).name();
    StringBuilder script = new StringBuilder();
    for (String[] member : members) {
      String name = quoted(member[0]) + "." + quoted(member[1]);
      script.append(
          """
          DROP TRIGGER IF EXISTS warm_shelf_change ON %1$s;
          CREATE TRIGGER warm_shelf_change AFTER INSERT OR UPDATE OR DELETE OR TRUNCATE ON %1$s
            FOR EACH STATEMENT EXECUTE FUNCTION warm_shelf.note_change('%2$s');
          ALTER TABLE %1$s ENABLE ALWAYS TRIGGER warm_shelf_change;
          """
              .formatted(name, lane.replace("'", "''")));
    }
    return script.toString();
  }

  private static List<String[]> members(Connection connection, String table) throws SQLException {
    List<String[]> members = new ArrayList<>();
    try (PreparedStatement statement = connection.prepareStatement(MEMBERS)) {
      statement.setString(1, table);
      try (ResultSet rows = statement.executeQuery()) {
        while (rows.next()) {
          if (!rows.getString(3).equals("r") && !rows.getString(3).equals("p")) {
            throw new SQLException(
                "'" + table + "' is not a table; name the tables under it instead.");
          }
          if (members.isEmpty() && rows.getBoolean(4)) {
            throw new SQLException(
                "'" + table + "' is a partition or child; name the table at the top instead.");
          }
          members.add(new String[] {rows.getString(1), rows.getString(2)});
        }
      }
    }
    if (members.isEmpty()) {
      throw new SQLException(
          "There is no table '" + table + "' in this database (with this search path).");
    }
    return members;
  }

  private void run(String script) throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      boolean autoCommit = connection.getAutoCommit();
      connection.setAutoCommit(false);
      try (Statement statement = connection.createStatement()) {
        statement.execute(script);
        connection.commit();
      } catch (SQLException e) {
        connection.rollback();
        throw e;
      } finally {
        connection.setAutoCommit(autoCommit);
      }
    }
  }

  private static String quoted(String identifier) {
    return '"' + identifier.replace("\"", "\"\"") + '"';
  }

  private static String resource(String name) {
    try (InputStream in = Journal.class.getResourceAsStream(name)) {
      if (in == null) {
        throw new IllegalStateException("The resource " + name + " is missing from the build.");
      }
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
