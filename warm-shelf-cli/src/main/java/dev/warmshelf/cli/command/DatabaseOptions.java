package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.cli.screen.Limits;
import dev.warmshelf.cli.screen.Terminal;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.postgres.driver.UrlText;
import java.io.Console;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import java.util.Properties;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Option;

/** Where the database is, and who we are to it. A password never comes from an argument. */
public final class DatabaseOptions {
  static final String URL = "SHELF_DB_URL";
  static final String USER = "SHELF_DB_USER";
  static final String PASSWORD = "SHELF_DB_PASSWORD";

  /** For the help of each command that asks a database. */
  static final String HELP =
      "SHELF_DB_URL in the environment stands for --db; SHELF_DB_USER and SHELF_DB_PASSWORD say who"
          + " you are to the database. A password is else looked for in PostgreSQL's password file"
          + " (PGPASSFILE, ~/.pgpass); what is still missing is asked for.";

  private static final String EXPECTED = "expected jdbc:postgresql://HOST:PORT/DATABASE.";
  private static final Pattern PORT = Pattern.compile("//[^/?]*:(\\d+)(?:[/,?].*)?$");
  private static final int LONGEST_PATIENCE = 3_600;
  private static final int LONGEST_PORT = 65_535;
  private static final Duration PATIENCE = Duration.ofSeconds(20);

  /** The driver's word for a server that wants a password where none is known. */
  @Option(
      names = "--db",
      paramLabel = "URL",
      description = "A JDBC URL. Default: what " + URL + " says.")
  private @Nullable String url;

  @Option(
      names = "--connect-within",
      paramLabel = "TIME",
      description = "How long a connection may take to come about, such as 1 min. Default: 20 s.")
  private Duration patience = PATIENCE;

  private Map<String, String> environment = System.getenv();

  /** The same from a test's environment. */
  public static DatabaseOptions of(@Nullable String url, Map<String, String> environment) {
    DatabaseOptions options = new DatabaseOptions();
    options.url = url;
    options.environment = environment;
    return options;
  }

  /** Whether a database was named. */
  boolean isGiven() {
    return url != null || environment.get(URL) != null;
  }

  /** Whether one was named by an argument. */
  boolean isArgument() {
    return url != null;
  }

  /**
   * A pool to the database, which has been reached once.
   *
   * @throws Failure if none was named, or it cannot be reached
   */
  public HikariDataSource pool(int size) throws Failure {
    connect().close();
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url());
    properties().forEach((name, value) -> config.addDataSourceProperty((String) name, value));
    return pool(config, size, patience);
  }

  /**
   * One connection, for what asks one thing after another.
   *
   * @throws Failure if none was named, or it cannot be reached
   */
  Connection connection() throws Failure {
    return connect().connection();
  }

  /**
   * The URL with user and password in it, for a program that takes nothing else. Not to be shown.
   *
   * @throws Failure if none was named, or it cannot be reached
   */
  String urlWithUser() throws Failure {
    connect().close();
    StringBuilder given = new StringBuilder(url());
    properties()
        .forEach(
            (name, value) ->
                given
                    .append(given.indexOf("?") < 0 ? '?' : '&')
                    .append(name)
                    .append('=')
                    .append(URLEncoder.encode((String) value, StandardCharsets.UTF_8)));
    return given.toString();
  }

  /**
   * For a process that asks the same database, to be put into its environment.
   *
   * @throws Failure if none was named
   */
  Map<String, String> asEnvironment() throws Failure {
    Map<String, String> said = new HashMap<>();
    said.put(URL, url());
    Map<String, String> names = Map.of("user", USER, "password", PASSWORD);
    properties().forEach((name, value) -> said.put(names.get((String) name), (String) value));
    return said;
  }

  private record Connected(Connection connection) {
    void close() throws Failure {
      try {
        connection.close();
      } catch (SQLException e) {
        throw Failure.of(e);
      }
    }
  }

  private Connected connect() throws Failure {
    String usable = url();
    try {
      return new Connected(connectTo(usable));
    } catch (SQLException e) {
      if (!SqlState.CONNECTION_REJECTED.isOf(e) || asked == null || asked.containsKey("password")) {
        throw Failure.of(e);
      }
      askForPassword(asked, e);
    }
    try {
      return new Connected(connectTo(usable));
    } catch (SQLException e) {
      throw Failure.of(e);
    }
  }

  private Connection connectTo(String usable) throws Failure, SQLException {
    String seconds = Long.toString(patience.toSeconds());
    Properties properties = properties();
    properties.setProperty("loginTimeout", seconds);
    properties.setProperty("connectTimeout", seconds);
    return DriverManager.getConnection(usable, properties);
  }

  private static void askForPassword(Properties asked, SQLException why) throws Failure {
    Console console = Terminal.console();
    if (console == null) {
      throw new Failure(
          "The database wants a password: set "
              + PASSWORD
              + ", or PGPASSFILE to a password file that has one for this server.",
          why);
    }
    char @Nullable [] typed = console.readPassword("Password: ");
    asked.setProperty("password", typed == null ? "" : new String(typed));
  }

  private @Nullable Properties asked;

  /** Asked for once. */
  private Properties properties() throws Failure {
    if (asked == null) {
      Properties found = new Properties();
      found.setProperty("user", user());
      String password = environment.get(PASSWORD);
      if (password != null && !password.isEmpty()) {
        found.setProperty("password", password);
      }
      asked = found;
    }
    Properties copy = new Properties();
    copy.putAll(asked);
    return copy;
  }

  private String url() throws Failure {
    String given = url == null ? environment.get(URL) : url;
    Limits.require(
        "--connect-within in seconds", (double) patience.toSeconds(), 1, LONGEST_PATIENCE);
    if (given == null || given.isBlank()) {
      throw new Failure(
          "No database is named: add --db jdbc:postgresql://HOST:PORT/DATABASE, or set "
              + URL
              + ".");
    }
    if (UrlText.holdsPassword(given)) {
      throw new Failure(
          "The URL holds a password, which others on this machine can see; set "
              + PASSWORD
              + " instead.");
    }
    if (!given.startsWith("jdbc:postgresql:")) {
      throw new Failure("'" + UrlText.shown(given) + "' is not a PostgreSQL URL; " + EXPECTED);
    }
    Matcher port = PORT.matcher(given);
    if (port.find()
        && (port.group(1).length() > 5 || Integer.parseInt(port.group(1)) > LONGEST_PORT)) {
      throw new Failure(
          "There is no port " + port.group(1) + "; they end at " + LONGEST_PORT + ".");
    }
    if (!new org.postgresql.Driver().acceptsURL(given)) {
      throw new Failure("'" + UrlText.shown(given) + "' is not a usable URL; " + EXPECTED);
    }
    return given;
  }

  /** A pool of the tool's own settings. */
  public static HikariDataSource pool(HikariConfig config, int size) {
    return pool(config, size, PATIENCE);
  }

  private static HikariDataSource pool(HikariConfig config, int size, Duration patience) {
    config.setMaximumPoolSize(size);
    config.setConnectionTimeout(patience.toMillis());
    config.setInitializationFailTimeout(-1);
    return new HikariDataSource(config);
  }

  private String user() throws Failure {
    String value = environment.get(USER);
    if (value != null) {
      return value;
    }
    Console console = Terminal.console();
    if (console == null) {
      throw new Failure("The database's user is not known: set " + USER + ".");
    }
    String typed = console.readLine("User: ");
    return typed == null ? "" : typed;
  }
}
