package dev.warmshelf.base;

import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.util.Properties;

/** What is the same wherever the library is used. */
public final class Library {
  /** The name under which its parts log what whoever runs a program should know. */
  public static final String LOG = "dev.warmshelf.WarmShelf";

  /** The shelf that a query is kept on unless it says otherwise. */
  public static final String MAIN_SHELF = "main";

  private Library() {}

  /**
   * The library's version.
   *
   * @throws UncheckedIOException if the archive that the library is in cannot be read
   */
  public static String version() {
    try (InputStream in = Library.class.getResourceAsStream("version.properties")) {
      Properties about = new Properties();
      about.load(in);
      return about.getProperty("version");
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
