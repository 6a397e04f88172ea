package dev.warmshelf.config;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Health;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.spi.feed.FeedException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.postgresql.ds.PGSimpleDataSource;

/** A program with a pool, which knows nothing of shelves. */
class UnderAProgramTest {
  private static LocalPostgres server;
  private static PGSimpleDataSource plain;

  @TempDir private Path folder;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    plain = server.dataSource("postgres");
    SkerryLine.loadTiny(plain);
    Journal.on(plain).install(SkerryLine.FOLLOWED);
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  @AfterEach
  void end() {
    ShelvedDriver.closeAll();
  }

  private Path file(String text) throws Exception {
    return Files.writeString(folder.resolve("warm-shelf.yaml"), text);
  }

  private static Origin ask(DataSource program) throws SQLException {
    try (Connection connection = program.getConnection();
        PreparedStatement statement =
            connection.prepareStatement("SELECT name FROM port WHERE id = ?")) {
      statement.setInt(1, 1);
      try (ResultSet result = statement.executeQuery()) {
        assertThat(result.next()).isTrue();
        return result.isWrapperFor(Reading.class)
            ? result.unwrap(Reading.class).origin()
            : Origin.DIRECT;
      }
    }
  }

  private static void untilKept(DataSource program) throws SQLException {
    long deadline = System.nanoTime() + 30_000_000_000L;
    while (ask(program) != Origin.KEPT) {
      assertThat(System.nanoTime()).isLessThan(deadline);
    }
  }

  private static String url(Path file) {
    return url(file, plain);
  }

  private static String url(Path file, PGSimpleDataSource plain) {
    return plain.getURL().replace("jdbc:", ShelvedDriver.PREFIX)
        + (plain.getURL().contains("?") ? "&" : "?")
        + "user=postgres&warmShelfConfig="
        + file;
  }

  @Test
  void itIsRecordedIfTheFileSaysSo() throws Exception {
    Path into = folder.resolve("asked.jsonl.gz");
    Path file =
        file("rules: [{tables-among: [port]}]\nrecording: {file: '" + into + "', values: false}\n");
    try (ConfiguredDataSource program = new ConfiguredDataSource(plain, file)) {
      untilKept(program);
    }
    List<RecordingFile.Question> asked = new ArrayList<>();
    assertThat(RecordingFile.read(into, asked::add).complete()).isTrue();
    assertThat(asked)
        .last()
        .satisfies(
            question -> {
              assertThat(question.outcome()).isEqualTo(Origin.KEPT);
              assertThat(question.values()).isEmpty();
            });
    Path nowhere = file("recording: {file: /no/such/folder/asked.gz}\n");
    assertThatThrownBy(() -> new ConfiguredDataSource(plain, nowhere))
        .isInstanceOf(ConfigurationException.class)
        .hasMessageContaining("line 1: the recording '/no/such/folder/asked.gz'");
  }

  @Test
  void byItsUrlBelowAPool() throws Exception {
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url(file("rules: [{tables-among: [port]}]")));
    config.setMaximumPoolSize(2);
    try (HikariDataSource pool = new HikariDataSource(config)) {
      untilKept(pool);
      try (Connection connection = pool.getConnection();
          Statement statement = connection.createStatement()) {
        statement.executeUpdate("UPDATE port SET name = 'by the URL' WHERE id = 1");
        ResultSet row = statement.executeQuery("SELECT name FROM port WHERE id = 1");
        row.next();
        assertThat(row.getString(1)).isEqualTo("by the URL");
      }
      untilKept(pool);
    }
  }

  @Test
  void byItsDataSourceAboveAPool() throws Exception {
    HikariConfig config = new HikariConfig();
    config.setDataSource(plain);
    Path file = file("shelves: {ports: {ttl: 1 h}}\nrules: [{tables-among: [port], shelf: ports}]");
    try (HikariDataSource pool = new HikariDataSource(config);
        ConfiguredDataSource program = new ConfiguredDataSource(pool, file)) {
      untilKept(program);
      assertThat(program.warmShelf().orElseThrow().shelf("ports").size()).isOne();
      assertThat(program.unwrap(HikariDataSource.class)).isSameAs(pool);
    }
  }

  /** A database in which nothing is yet. */
  private static PGSimpleDataSource empty(String name) throws SQLException {
    try (Connection connection = plain.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("CREATE DATABASE " + name);
    }
    return server.dataSource(name);
  }

  private static void run(DataSource on, String sql) throws SQLException {
    try (Connection connection = on.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** The first deployment: migrations run through the data source that has shelves. */
  @Test
  void anEmptyDatabaseIsMigratedThroughIt() throws Exception {
    PGSimpleDataSource fresh = empty("first_deployment");
    Path file = file("namespace: first\nrules: [{tables-among: [port]}]");
    try (ConfiguredDataSource program = new ConfiguredDataSource(fresh, file)) {
      WarmShelf warm = WarmShelf.named("first").orElseThrow();
      assertThat(warm).isSameAs(program.warmShelf().orElseThrow());
      assertThat(warm.health().state()).isEqualTo(Health.State.WAITING);
      run(program, "CREATE TABLE port (id integer PRIMARY KEY, name text)");
      run(program, "INSERT INTO port VALUES (1, 'Norrhamn')");
      assertThat(ask(program)).isEqualTo(Origin.DIRECT);
      run(program, Journal.on(program).script(List.of("port")));
      untilKept(program);
      assertThat(warm.health().state()).isEqualTo(Health.State.LIVE);
      Journal.on(program).install(List.of("port:id")); // a later migration, by Java
      untilKept(program);
    }
    assertThat(WarmShelf.named("first")).isEmpty();
  }

  @Test
  void theSameByItsUrlBelowAPool() throws Exception {
    PGSimpleDataSource fresh = empty("first_by_url");
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url(file("namespace: by url\nrules: [{tables-among: [port]}]"), fresh));
    config.setMaximumPoolSize(2);
    try (HikariDataSource pool = new HikariDataSource(config)) {
      run(pool, "CREATE TABLE port (id integer PRIMARY KEY, name text)");
      run(pool, "INSERT INTO port VALUES (1, 'Norrhamn')");
      assertThat(ask(pool)).isEqualTo(Origin.DIRECT);
      WarmShelf warm = WarmShelf.named("by url").orElseThrow();
      assertThat(warm.health().why()).contains("not installed");
      Journal.on(fresh).install(List.of("port"));
      untilKept(pool); // over the connections that the pool had opened before
      assertThat(warm.health().state()).isEqualTo(Health.State.LIVE);
    }
  }

  /** Neither the pool's log nor the server's tells of an error each time that it tries to join. */
  @Test
  void whoTriesToJoinAgainAndAgainEndsNoConnectionOfThePool() throws Exception {
    PGSimpleDataSource fresh = empty("tried");
    HikariConfig config = new HikariConfig();
    config.setDataSource(fresh);
    config.setMaximumPoolSize(2);
    config.setMinimumIdle(0);
    Path file = file("namespace: tried\nrules: [{tables-among: [port]}]");
    try (HikariDataSource pool = new HikariDataSource(config)) {
      for (String state :
          List.of("", "CREATE SCHEMA warm_shelf", "CREATE TABLE warm_shelf.installation (n int)")) {
        run(fresh, state.isEmpty() ? "SELECT 1" : state);
        String before = backends(pool);
        try (ConfiguredDataSource program = new ConfiguredDataSource(pool, file)) {
          assertThat(program.warmShelf().orElseThrow().health().state())
              .isEqualTo(Health.State.WAITING);
          assertThat(backends(pool)).as(state).isEqualTo(before);
        }
      }
    }
  }

  /** Which connections of the pool there are, both held at once. */
  private static String backends(DataSource pool) throws SQLException {
    try (Connection one = pool.getConnection();
        Connection other = pool.getConnection()) {
      return Stream.of(one, other)
          .map(
              each -> {
                try (Statement statement = each.createStatement();
                    ResultSet row =
                        statement.executeQuery(
                            "SELECT pg_backend_pid() || current_setting('search_path')"
                                + " || current_setting('jit')")) {
                  row.next();
                  return row.getString(1);
                } catch (SQLException e) {
                  throw new IllegalStateException(e);
                }
              })
          .sorted()
          .toList()
          .toString();
    }
  }

  @Test
  void whoRequiresTheFeedDoesNotStartWithoutIt() throws Exception {
    PGSimpleDataSource fresh = empty("required");
    for (String required : List.of("feed: required", "feed: {required: true}")) {
      Path file = file(required + "\nrules: [{tables-among: [port]}]");
      assertThatThrownBy(() -> new ConfiguredDataSource(fresh, file))
          .isInstanceOf(FeedException.class)
          .hasMessageContaining("shelf feed install");
    }
  }

  @Test
  void turnedOffItIsAsIfItWereNotThere() throws Exception {
    Path file = file("enabled: false\nrules: [{tables-among: [port]}]");
    try (ConfiguredDataSource program = new ConfiguredDataSource(plain, file)) {
      assertThat(program.warmShelf()).isEmpty();
      assertThat(ask(program)).isEqualTo(Origin.DIRECT);
    }
    try (Connection connection = DriverManager.getConnection(url(file))) {
      assertThat(connection.getClass().getName()).startsWith("org.postgresql");
    }
  }

  @Test
  void aWrongFileIsAnErrorOfTheFirstConnection() throws Exception {
    Path file = file("rules: {}");
    assertThatThrownBy(() -> DriverManager.getConnection(url(file)).close())
        .isInstanceOf(SQLException.class)
        .hasMessageContaining("cannot be opened")
        .hasMessageContaining("line 1: a list is expected here");
  }

  @Test
  void othersUrlsAreNotTaken() throws Exception {
    assertThat(new ShelvedDriver().connect("jdbc:postgresql://x/y", null)).isNull();
    assertThat(new ShelvedDriver().acceptsURL("jdbc:warmshelf:postgresql://x/y")).isTrue();
  }
}
