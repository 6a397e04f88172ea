package dev.warmshelf.spi.feed;

import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Objects;

/**
 * What somebody wants kept answers of to go, whether or not anything has changed. Immutable.
 *
 * @param what what the name is a name of
 * @param name empty for {@link What#ALL}
 * @param by who asks for it, in words, for the log
 */
public record Clearing(What what, String name, String by) {
  /** What is cleared. */
  public enum What {
    /** Everything. */
    ALL,
    /** What a shelf holds. */
    SHELF,
    /** What was read from a table, named with its schema or without. */
    TABLE,
    /** What has a tag. */
    TAG,
    /** The answers to a query, by the beginning of its form's digest. */
    QUERY,
    /** One answer, by the beginning of its key's digest. */
    KEY;

    /** As people write it. */
    public String word() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  private static final int LEAST_DIGITS = 8;

  /**
   * Checked.
   *
   * @throws IllegalArgumentException if there is no name where there must be one, or it cannot be
   *     one
   */
  public Clearing {
    Objects.requireNonNull(what, "what");
    Objects.requireNonNull(by, "by");
    if ((what == What.ALL) != name.isEmpty()) {
      throw new IllegalArgumentException(
          what == What.ALL
              ? "'all' has no name, but was given '" + name + "'."
              : "Which " + what.word() + "? Give its name.");
    }
    boolean byDigest = what == What.QUERY || what == What.KEY;
    if (byDigest && !name.matches("[0-9a-f]{" + LEAST_DIGITS + ",64}")) {
      throw new IllegalArgumentException(
          "A "
              + what.word()
              + " is named by "
              + LEAST_DIGITS
              + " or more hexadecimal digits of its digest, but this is '"
              + name
              + "'. 'shelf look' shows them.");
    }
  }

  /**
   * From words, as a person writes them.
   *
   * @param what in any case of letters
   * @throws IllegalArgumentException if that cannot be cleared
   */
  public static Clearing of(String what, String name, String by) {
    List<String> words = Arrays.stream(What.values()).map(What::word).toList();
    int at = words.indexOf(what.toLowerCase(Locale.ROOT));
    if (at < 0) {
      throw new IllegalArgumentException(
          "'" + what + "' cannot be cleared; expected one of " + words + ".");
    }
    return new Clearing(What.values()[at], name, by);
  }

  /** What it clears, in words. */
  @Override
  public String toString() {
    return what == What.ALL ? "everything" : what.word() + " " + name;
  }
}
