package dev.warmshelf.cli.screen;

import dev.warmshelf.measure.text.DatabaseErrors;
import java.io.IOException;
import java.nio.charset.MalformedInputException;
import java.nio.file.AccessDeniedException;
import java.nio.file.NoSuchFileException;
import java.sql.SQLException;

/** Something that cannot be done as asked; the message says what and how to mend it. */
public final class Failure extends Exception {
  public static final int EXIT_CODE = 2;

  private static final long serialVersionUID = 1L;

  public Failure(String message) {
    super(message);
  }

  public Failure(String message, Throwable cause) {
    super(message, cause);
  }

  /** A file that could not be read or written. */
  public static Failure of(String what, IOException e) {
    String why = why(e);
    return new Failure(what + ": " + (why.endsWith(".") ? why : why + "."), e);
  }

  /** What a database said. */
  public static Failure of(SQLException e) {
    return new Failure(DatabaseErrors.inWords(e), e);
  }

  private static String why(IOException e) {
    if (e instanceof NoSuchFileException) {
      return "there is no such file or directory";
    } else if (e instanceof AccessDeniedException) {
      return "this is not allowed";
    } else if (e instanceof MalformedInputException) {
      return "it is not UTF-8 text";
    }
    return e.getMessage() == null ? "it failed" : e.getMessage();
  }

  /** What to tell a person about any exception, on one line. */
  public static String inOneLine(Exception e) {
    if (e instanceof SQLException sql) {
      return DatabaseErrors.inWords(sql);
    }
    String message = e.getMessage();
    return message == null
        ? "This should not have happened ("
            + e.getClass().getSimpleName()
            + "); --trace says where."
        : message.replaceAll("\\s*\\R\\s*", " ").strip();
  }
}
