package dev.warmshelf;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A database of a test's own, with a tiny Skerry Line in it and the journal on its tables. One
 * server serves all tests of the module; each database is copied from a template. {@code
 * -Dserver=JAR} names another server's binaries, such as one of {@code target/servers}.
 */
public final class TestDatabase {
  private static final AtomicInteger COUNT = new AtomicInteger();
  private static final LocalPostgres SERVER = startServer();

  private final String name;

  private TestDatabase(String name) {
    this.name = name;
  }

  public static TestDatabase create() throws SQLException {
    TestDatabase database = new TestDatabase("test_" + COUNT.incrementAndGet());
    try (Connection admin = SERVER.dataSource("postgres").getConnection();
        Statement statement = admin.createStatement()) {
      boolean chooses = admin.getMetaData().getDatabaseMajorVersion() >= 15;
      String by = chooses ? " STRATEGY file_copy" : ""; // what older ones do anyway
      statement.execute("CREATE DATABASE " + database.name + " TEMPLATE skerry" + by);
    }
    return database;
  }

  /** One with tables of a test's own besides, followed as the journal takes them. */
  public static TestDatabase create(String schema, List<String> followed) throws SQLException {
    TestDatabase database = create();
    database.run(schema);
    Journal.on(database.dataSource()).install(followed);
    return database;
  }

  public DataSource dataSource() {
    return postgres();
  }

  /** The same, to be given settings of its own. */
  public PGSimpleDataSource postgres() {
    return SERVER.dataSource(name);
  }

  /** A shelf over it whose journal feed looks every so many milliseconds, to be set further. */
  public WarmShelf.Builder shelf(int polling) {
    return WarmShelf.over(dataSource())
        .following(JournalFeed.on(dataSource()).polling(Duration.ofMillis(polling)));
  }

  /** Runs a statement as another program would: plainly, on a connection of its own. */
  public void run(String sql) throws SQLException {
    try (Connection connection = dataSource().getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** Runs a statement on somebody's connection. */
  public void run(Connection on, String sql) throws SQLException {
    try (Statement statement = on.createStatement()) {
      statement.execute(sql);
    }
  }

  /** The single value of a query, read directly. */
  public String ask(String sql) throws SQLException {
    return ask(dataSource(), sql);
  }

  /** What each program that is connected to it has sent last. */
  String lastStatements() throws SQLException {
    return ask(
        SERVER.dataSource("postgres"),
        "SELECT string_agg(concat_ws(' ', backend_type, state, wait_event, state_change, query),"
            + " '; ') FROM pg_stat_activity WHERE datname = '"
            + name
            + "'");
  }

  /** How many programs are connected to it. */
  public int sessions() throws SQLException {
    return Integer.parseInt(
        ask(
            SERVER.dataSource("postgres"),
            "SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend'"
                + " AND datname = '"
                + name
                + "'"));
  }

  private static String ask(DataSource where, String sql) throws SQLException {
    try (Connection connection = where.getConnection();
        Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(sql)) {
      row.next();
      return row.getString(1);
    }
  }

  private static LocalPostgres startServer() {
    try {
      String other = System.getProperty("server");
      LocalPostgres server =
          other == null ? LocalPostgres.start() : LocalPostgres.startOf(Path.of(other));
      try (Connection admin = server.dataSource("postgres").getConnection();
          Statement statement = admin.createStatement()) {
        statement.execute("CREATE DATABASE skerry");
        // Of hundreds of databases one would be vacuumed at any time, and nothing else be done.
        statement.execute("ALTER SYSTEM SET autovacuum = off");
        statement.execute("SELECT pg_reload_conf()");
      }
      SkerryLine.loadTiny(server.dataSource("skerry"));
      Journal.on(server.dataSource("skerry")).install(SkerryLine.FOLLOWED);
      sayThatSomebodyFollows(server.dataSource("skerry"));
      return server;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (SQLException e) {
      throw new IllegalStateException(e);
    }
  }

  /**
   * The first to follow waits for every transaction of the server that had begun before, also one
   * of another database, such as the server's own vacuuming. The copies are followed already.
   */
  private static void sayThatSomebodyFollows(DataSource template) throws SQLException {
    try (Connection connection = template.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("SELECT warm_shelf.reader_is_here()");
    }
  }
}
