package dev.warmshelf.cli;

import java.sql.SQLException;

/** Something that cannot be done as asked; the message says what and how to mend it. */
final class Failure extends Exception {
  static final int EXIT_CODE = 2;

  private static final long serialVersionUID = 1L;

  Failure(String message) {
    super(message);
  }

  Failure(String message, Throwable cause) {
    super(message, cause);
  }

  /** A pool says that it has no connection; why stands in the cause. */
  private static String innermostMessage(Exception e) {
    Throwable told = e;
    while (e instanceof SQLException && told.getCause() instanceof SQLException cause) {
      told = cause;
    }
    String message = told.getMessage();
    return message == null ? told.getClass().getSimpleName() : message;
  }

  /** What to tell a person about any exception, on one line. */
  static String inOneLine(Exception e) {
    String message = innermostMessage(e);
    if (e instanceof SQLException sql && sql.getSQLState() != null) {
      String state = sql.getSQLState();
      if (state.startsWith("08")) {
        message = "The database cannot be reached: " + message;
      } else if (state.startsWith("28")) {
        message = "The database refused the user or password: " + message;
      } else {
        message = "The database said: " + message;
      }
    }
    return message.replaceAll("\\s*\\R\\s*", " ").strip();
  }
}
