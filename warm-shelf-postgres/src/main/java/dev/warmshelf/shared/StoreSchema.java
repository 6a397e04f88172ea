package dev.warmshelf.shared;

import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.postgres.analysis.SqlText;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.spi.feed.FeedPlace;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import javax.sql.DataSource;

/**
 * The tables of a {@link PostgresStore}, in the schema {@code warm_shelf_store}: what makes them,
 * grants rights to them, and removes them. Without state.
 */
public final class StoreSchema {
  private static final int VERSION = 1;

  /** Beside its bytes each answer takes about so many. */
  private static final int ROW_BYTES = 250;

  /** What leaves first gives the least of load time for a byte, and for the time since its use. */
  private static final String WORTH =
      "(load_micros + 100.0) / (octet_length(bytes) + "
          + ROW_BYTES
          + ") / (extract(epoch FROM clock_timestamp() - used) + 60)";

  static final String LIST =
      """
      SELECT digest, shelf, form, load_micros, octet_length(bytes) AS size,
             (extract(epoch FROM ends - clock_timestamp()) * 1000000)::bigint AS ends,
             (extract(epoch FROM clock_timestamp() - stored) * 1000000)::bigint AS age,
             (extract(epoch FROM clock_timestamp() - used) * 1000000)::bigint AS idle
      FROM warm_shelf_store.answer
      ORDER BY %s DESC, digest LIMIT ?
      """
          .formatted(WORTH);

  private static final String ENDED =
      "DELETE FROM warm_shelf_store.answer WHERE ends < clock_timestamp()";

  /** Down to nine tenths, if there is too much. */
  private static final String OVERFLOWING =
      """
      WITH weighed AS (
        SELECT digest, sum(octet_length(bytes) + %1$d) OVER (ORDER BY %2$s DESC, digest) AS upto,
               sum(octet_length(bytes) + %1$d) OVER () AS whole
        FROM warm_shelf_store.answer)
      DELETE FROM warm_shelf_store.answer a USING weighed w, warm_shelf_store.settings s
      WHERE a.digest = w.digest AND w.whole > s.at_most AND w.upto > s.at_most * 0.9
      """
          .formatted(ROW_BYTES, WORTH);

  private static final String IS_LARGE =
      """
      SELECT pg_total_relation_size('warm_shelf_store.answer') > at_most
      FROM warm_shelf_store.settings
      """;

  private static final String IS_THERE =
      "SELECT to_regclass('warm_shelf_store.answer') IS NOT NULL";

  private static final String CONTENTS =
      """
      SELECT count(a.digest), coalesce(sum(octet_length(a.bytes) + %d), 0), max(s.at_most)
      FROM warm_shelf_store.settings s LEFT JOIN warm_shelf_store.answer a ON true
      """
          .formatted(ROW_BYTES);

  private static final String NOTE =
      """
      INSERT INTO warm_shelf_store.place (stream, reached)
      SELECT ?, ? WHERE NOT EXISTS (
        SELECT FROM warm_shelf_store.place
        WHERE stream = ? AND noted > clock_timestamp() - interval '20 seconds')
      """;

  private static final String FORGET_PLACES =
      "DELETE FROM warm_shelf_store.place WHERE noted < clock_timestamp() - interval '1 hour'";

  private static final String OLDEST =
      """
      SELECT stream, reached FROM warm_shelf_store.place
      WHERE noted > clock_timestamp() - ? * interval '1 millisecond'
        AND stream = (SELECT stream FROM warm_shelf_store.place ORDER BY noted DESC LIMIT 1)
      ORDER BY noted LIMIT 1
      """;

  private static final String FORGET =
      """
      DELETE FROM warm_shelf_store.answer
      WHERE (? = '' OR shelf = ?) AND (? = '' OR encode(digest, 'hex') LIKE ? || '%')
      """;

  private static final String RIGHTS =
      """
      GRANT USAGE ON SCHEMA warm_shelf_store TO %1$s;
      GRANT SELECT ON warm_shelf_store.settings TO %1$s;
      GRANT SELECT, INSERT, UPDATE, DELETE ON warm_shelf_store.answer, warm_shelf_store.place TO %1$s;
      """;

  private StoreSchema() {}

  /**
   * What a store holds.
   *
   * @param atMost how many bytes it may hold
   */
  public record Contents(long answers, long bytes, long atMost) {}

  /**
   * Makes the tables, unless they are there, and lets roles use them; all of it or nothing.
   *
   * @param atMost how many bytes the store may hold, about
   * @param roles as the catalogue spells them; they need no other rights for that
   * @return whether they were not
   * @throws SQLException if that is not possible
   */
  public static boolean create(DataSource database, long atMost, List<String> roles)
      throws SQLException {
    return inTransaction(
        database,
        statement -> {
          boolean isMissing = !isTrue(statement, IS_THERE);
          if (isMissing) {
            statement.execute(script(atMost, List.of()));
          }
          for (String role : roles) {
            statement.execute(grants(role));
          }
          return isMissing;
        });
  }

  /**
   * Lets a store hold more, or less: then what is too much leaves within a minute or so, if a
   * program uses it.
   *
   * @param atMost how many bytes, about
   * @throws SQLException if that is not possible
   */
  public static void resize(DataSource database, long atMost) throws SQLException {
    inTransaction(
        database,
        statement ->
            statement.executeUpdate("UPDATE warm_shelf_store.settings SET at_most = " + atMost));
  }

  /** The statements by which {@link #create} makes a store for roles. */
  public static String script(long atMost, List<String> roles) {
    StringBuilder all = new StringBuilder(text());
    all.append("\nINSERT INTO warm_shelf_store.settings VALUES (")
        .append(VERSION)
        .append(", ")
        .append(atMost)
        .append(");\n");
    roles.forEach(role -> all.append('\n').append(grants(role)).append('\n'));
    return all.toString();
  }

  /**
   * What a store holds just now.
   *
   * @throws SQLException if it cannot be asked
   */
  public static Contents contents(DataSource database) throws SQLException {
    try (Borrowed borrowed =
            Borrowed.from(database).autoCommit(true).setting("search_path", SqlText.SYSTEM_PATH);
        Statement statement = borrowed.connection().createStatement();
        ResultSet row = statement.executeQuery(CONTENTS)) {
      row.next();
      return new Contents(row.getLong(1), row.getLong(2), row.getLong(3));
    }
  }

  private static String text() {
    try (InputStream in = StoreSchema.class.getResourceAsStream("create.sql")) {
      if (in == null) {
        throw new IllegalStateException("create.sql is packaged with this class");
      }
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static String grants(String role) {
    return RIGHTS.formatted(SqlText.identifier(role)).strip();
  }

  /**
   * Removes the tables with all that is in them.
   *
   * @return whether they were there
   * @throws SQLException if that is not possible
   */
  public static boolean remove(DataSource database) throws SQLException {
    return inTransaction(
        database,
        statement -> {
          boolean wasThere = isTrue(statement, IS_THERE);
          statement.execute("DROP SCHEMA IF EXISTS warm_shelf_store CASCADE");
          return wasThere;
        });
  }

  private interface Steps<V> {
    V with(Statement statement) throws SQLException;
  }

  private static <V> V inTransaction(DataSource database, Steps<V> steps) throws SQLException {
    try (Borrowed borrowed =
            Borrowed.from(database)
                .autoCommit(true)
                .setting("search_path", SqlText.SYSTEM_PATH)
                .autoCommit(false);
        Statement statement = borrowed.connection().createStatement()) {
      boolean done = false;
      try {
        V result = steps.with(statement);
        borrowed.connection().commit();
        done = true;
        return result;
      } finally {
        if (!done) {
          borrowed.connection().rollback();
        }
      }
    }
  }

  /**
   * Finds out whether the store is there, of this version, and may be used.
   *
   * @throws SQLException if not
   */
  static void require(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      try (ResultSet row =
          statement.executeQuery("SELECT version FROM warm_shelf_store.settings")) {
        if (!row.next() || row.getInt(1) != VERSION) {
          throw new SQLException(
              "The store is of another version than "
                  + VERSION
                  + ", which this program knows; 'shelf store remove' and 'shelf store create'"
                  + " make it anew, empty");
        }
      }
      statement.execute(ENDED + " AND false");
      statement.execute("UPDATE warm_shelf_store.answer SET used = used WHERE false");
      statement.execute(
          "INSERT INTO warm_shelf_store.answer SELECT * FROM warm_shelf_store.answer WHERE false");
      statement.execute(FORGET_PLACES);
    }
  }

  static String inWords(SQLException e) {
    return switch (SqlState.of(e)) {
      case UNDEFINED_TABLE, INVALID_SCHEMA_NAME ->
          "There is no store in this database; 'shelf store create' makes one";
      case INSUFFICIENT_PRIVILEGE ->
          "This role may not use the store ("
              + e.getMessage()
              + "); 'shelf store create --role ROLE' grants what it needs";
      default -> String.valueOf(e.getMessage());
    };
  }

  /** One process at a time. */
  static int trim(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      if (!isTrue(statement, "SELECT pg_try_advisory_lock(" + PostgresStore.LOCKS + ", 0)")) {
        return 0;
      }
      try {
        int gone = statement.executeUpdate(ENDED);
        if (isTrue(statement, IS_LARGE)) {
          gone += statement.executeUpdate(OVERFLOWING);
        }
        statement.executeUpdate(FORGET_PLACES);
        return gone;
      } finally {
        statement.execute("SELECT pg_advisory_unlock(" + PostgresStore.LOCKS + ", 0)");
      }
    }
  }

  private static boolean isTrue(Statement statement, String sql) throws SQLException {
    try (ResultSet row = statement.executeQuery(sql)) {
      return row.next() && row.getBoolean(1);
    }
  }

  static int note(Connection connection, FeedPlace place) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(NOTE)) {
      statement.setString(1, place.stream());
      statement.setString(2, place.reached());
      statement.setString(3, place.stream());
      return statement.executeUpdate();
    }
  }

  static Optional<FeedPlace> oldestPlace(Connection connection, Duration within)
      throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(OLDEST)) {
      statement.setLong(1, within.toMillis());
      try (ResultSet row = statement.executeQuery()) {
        return row.next()
            ? Optional.of(new FeedPlace(row.getString(1), row.getString(2)))
            : Optional.empty();
      }
    }
  }

  static int forget(Connection connection, String shelf, String digest) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(FORGET)) {
      statement.setString(1, shelf);
      statement.setString(2, shelf);
      statement.setString(3, digest);
      statement.setString(4, digest);
      return statement.executeUpdate();
    }
  }
}
