package dev.warmshelf;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.util.Properties;

/** What is the same wherever the library is used. */
final class Library {
  /** The name under which its parts log what whoever runs a program should know. */
  static final String LOG = "dev.warmshelf.WarmShelf";

  /** The shelf that a query is kept on unless it says otherwise. */
  static final String MAIN_SHELF = "main";

  private Library() {}

  /** The library's version. */
  static String version() {
    try (InputStream in = Library.class.getResourceAsStream("version.properties")) {
      Properties about = new Properties();
      about.load(in);
      return about.getProperty("version");
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
