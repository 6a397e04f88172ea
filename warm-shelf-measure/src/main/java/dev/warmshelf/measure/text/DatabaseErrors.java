package dev.warmshelf.measure.text;

import java.io.IOException;
import java.net.ConnectException;
import java.net.SocketTimeoutException;
import java.net.UnknownHostException;
import java.sql.SQLException;
import java.util.List;

/** What a database's errors mean, in words and on one line. */
public final class DatabaseErrors {
  /** Classes of errors that are a statement's own. */
  private static final List<String> STATEMENTS = List.of("07", "0A", "21", "22", "42", "P0");

  private DatabaseErrors() {}

  /** One sentence or more; names neither a driver's nor a pool's classes. */
  public static String inWords(SQLException e) {
    SQLException told = innermost(e);
    String state = told.getSQLState() == null ? "" : told.getSQLState();
    String message = onOneLine(String.valueOf(told.getMessage()));
    if (state.startsWith("08") || (state.isEmpty() && told.getCause() instanceof IOException)) {
      return "The database cannot be reached: " + whyUnreachable(told, message);
    } else if (state.startsWith("28")) {
      return "The database refused the user or password: " + message;
    } else if (state.startsWith("57P")) {
      return "The database ended the connection: " + message;
    }
    return state.isEmpty() ? message : "The database said: " + message;
  }

  /**
   * Whether a statement was refused for itself or its values, by the class of its SQLSTATE
   * (Appendix A of the manual): features, data, syntax and rights, and what a function raises. Of a
   * database in trouble it is not.
   */
  public static boolean isOfStatement(SQLException e) {
    String state = String.valueOf(innermost(e).getSQLState());
    return STATEMENTS.stream().anyMatch(state::startsWith);
  }

  /** A pool says that it has no connection; why stands in the cause. */
  private static SQLException innermost(SQLException e) {
    SQLException told = e;
    while (told.getCause() instanceof SQLException cause) {
      told = cause;
    }
    return told;
  }

  private static String whyUnreachable(SQLException e, String message) {
    for (Throwable cause = e.getCause(); cause != null; cause = cause.getCause()) {
      if (cause instanceof UnknownHostException unknown) {
        return "there is no host '" + unknown.getMessage() + "'.";
      } else if (cause instanceof SocketTimeoutException) {
        return "nothing answered in time.";
      } else if (cause instanceof ConnectException) {
        return message;
      } else if (cause instanceof IllegalArgumentException wrong
          && String.valueOf(wrong.getMessage()).contains("port")) {
        return wrong.getMessage() + ".";
      }
    }
    return message;
  }

  private static String onOneLine(String text) {
    return text.replaceAll("\\s*\\R\\s*", " ").strip();
  }
}
