package dev.warmshelf.cli;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import java.io.Console;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.util.Locale;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** Where the database is, and who we are to it. Never from an argument that others can see. */
final class DatabaseOptions {
  static final String USER = "SHELF_DB_USER";
  static final String PASSWORD = "SHELF_DB_PASSWORD";

  private DatabaseOptions() {}

  /**
   * A pool to the database at this URL, with user and password from the environment or a prompt.
   */
  static HikariDataSource pool(String url, int size, Map<String, String> environment)
      throws Failure {
    requireUsable(url);
    HikariConfig config = new HikariConfig();
    config.setJdbcUrl(url);
    config.setUsername(setting(environment, USER, "user"));
    config.setPassword(setting(environment, PASSWORD, "password"));
    return pool(config, size);
  }

  /** One connection, for what asks one thing after another. */
  static Connection connection(String url, Map<String, String> environment)
      throws Failure, SQLException {
    requireUsable(url);
    String user = setting(environment, USER, "user");
    return DriverManager.getConnection(url, user, setting(environment, PASSWORD, "password"));
  }

  private static void requireUsable(String url) throws Failure {
    if (!url.startsWith("jdbc:postgresql:")) {
      throw new Failure(
          "'" + url + "' is not a PostgreSQL URL; expected jdbc:postgresql://HOST:PORT/DATABASE.");
    }
    if (url.toLowerCase(Locale.ROOT).contains("password=")) {
      throw new Failure(
          "The URL holds a password, which others on this machine can see; set "
              + PASSWORD
              + " instead.");
    }
  }

  /** A pool that fails at once, not at first use, if nobody is there. */
  static HikariDataSource pool(HikariConfig config, int size) {
    config.setMaximumPoolSize(size);
    config.setConnectionTimeout(5_000);
    config.setInitializationFailTimeout(-1);
    return new HikariDataSource(config);
  }

  private static String setting(Map<String, String> environment, String variable, String what)
      throws Failure {
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
