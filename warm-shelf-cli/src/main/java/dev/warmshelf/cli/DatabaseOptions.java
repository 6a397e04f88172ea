package dev.warmshelf.cli;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.postgres.UrlText;
import java.io.Console;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.Map;
import java.util.Properties;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;
import picocli.CommandLine.Option;

/** Where the database is, and who we are to it. A password never comes from an argument. */
final class DatabaseOptions {
  static final String URL = "SHELF_DB_URL";
  static final String USER = "SHELF_DB_USER";
  static final String PASSWORD = "SHELF_DB_PASSWORD";

  /** For the help of each command that asks a database. */
  static final String HELP =
      "SHELF_DB_URL in the environment stands for --db; SHELF_DB_USER and SHELF_DB_PASSWORD say who"
          + " you are to the database, and are else asked for.";

  private static final String EXPECTED = "expected jdbc:postgresql://HOST:PORT/DATABASE.";
  private static final Pattern PORT = Pattern.compile("//[^/?]*:(\\d+)(?:[/,?].*)?$");
  private static final int LONGEST_PORT = 65_535;
  private static final int PATIENCE_SECONDS = 5;

  @Option(
      names = "--db",
      paramLabel = "URL",
      description = "A JDBC URL. Default: what " + URL + " says.")
  private @Nullable String url;

  private Map<String, String> environment = System.getenv();

  /** The same from a test's environment. */
  static DatabaseOptions of(@Nullable String url, Map<String, String> environment) {
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
  HikariDataSource pool(int size) throws Failure {
    connect().close();
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url());
    Properties who = properties();
    config.setUsername(who.getProperty("user"));
    config.setPassword(who.getProperty("password"));
    return pool(config, size);
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
    Properties who = properties();
    return url()
        + (url().contains("?") ? "&" : "?")
        + "user="
        + URLEncoder.encode(who.getProperty("user"), StandardCharsets.UTF_8)
        + "&password="
        + URLEncoder.encode(who.getProperty("password"), StandardCharsets.UTF_8);
  }

  /**
   * For a process that asks the same database, to be put into its environment.
   *
   * @throws Failure if none was named
   */
  Map<String, String> asEnvironment() throws Failure {
    Properties who = properties();
    return Map.of(URL, url(), USER, who.getProperty("user"), PASSWORD, who.getProperty("password"));
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
    Properties properties = properties();
    properties.setProperty("loginTimeout", Integer.toString(PATIENCE_SECONDS));
    properties.setProperty("connectTimeout", Integer.toString(PATIENCE_SECONDS));
    try {
      return new Connected(DriverManager.getConnection(usable, properties));
    } catch (SQLException e) {
      throw Failure.of(e);
    }
  }

  private @Nullable Properties asked;

  /** Asked for once. */
  private Properties properties() throws Failure {
    if (asked == null) {
      Properties found = new Properties();
      found.setProperty("user", setting(USER, "user"));
      found.setProperty("password", setting(PASSWORD, "password"));
      asked = found;
    }
    Properties copy = new Properties();
    copy.putAll(asked);
    return copy;
  }

  private String url() throws Failure {
    String given = url == null ? environment.get(URL) : url;
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
  static HikariDataSource pool(HikariConfig config, int size) {
    config.setMaximumPoolSize(size);
    config.setConnectionTimeout(PATIENCE_SECONDS * 1_000L);
    config.setInitializationFailTimeout(-1);
    return new HikariDataSource(config);
  }

  private String setting(String variable, String what) throws Failure {
    String value = environment.get(variable);
    if (value != null) {
      return value;
    }
    Console console = Terminal.console();
    if (console == null) {
      throw new Failure(
          "The database's " + what + " is not known: set " + variable + " (it may be empty).");
    }
    if (what.equals("password")) {
      char @Nullable [] typed = console.readPassword("Password: ");
      return typed == null ? "" : new String(typed);
    }
    String typed = console.readLine("User: ");
    return typed == null ? "" : typed;
  }
}
