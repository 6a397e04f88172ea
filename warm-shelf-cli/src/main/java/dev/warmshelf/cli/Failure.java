package dev.warmshelf.cli;

import java.io.IOException;
import java.nio.file.AccessDeniedException;
import java.nio.file.NoSuchFileException;
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

  /** A file that could not be read or written. */
  static Failure of(String what, IOException e) {
    String why =
        e instanceof NoSuchFileException
            ? "there is no such file or directory"
            : e instanceof AccessDeniedException
                ? "this is not allowed"
                : e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
    return new Failure(what + ": " + (why.endsWith(".") ? why : why + "."), e);
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
