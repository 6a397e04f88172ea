package dev.warmshelf;

import java.util.Collection;
import java.util.Collections;
import java.util.Locale;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Predicate;
import org.jspecify.annotations.Nullable;

/**
 * Says of a program's statements, as they come through {@link WarmShelf#dataSource()}, on which
 * shelf their answers are kept, or that they are not. Of several rules the first that fits decides;
 * nothing is kept that none fits. Immutable.
 */
public final class Rule {
  private static final int LEAST_DIGITS = 8;

  private final @Nullable String mark;
  private final @Nullable String digest;
  private final @Nullable Set<String> tables;
  private final @Nullable String shelf;

  private Rule(
      @Nullable String mark,
      @Nullable String digest,
      @Nullable Set<String> tables,
      @Nullable String shelf) {
    this.mark = mark;
    this.digest = digest;
    this.tables = tables;
    this.shelf = shelf;
  }

  /**
   * Fits statements with the comment {@code shelf: WORD} in their text, in either of SQL's ways.
   *
   * @param word letters, digits, {@code -}, {@code _} and {@code .}
   * @throws IllegalArgumentException if it is none
   */
  public static Rule ofMark(String word) {
    if (!word.matches("[\\w.-]+")) {
      throw new IllegalArgumentException(
          "A mark is a word of letters, digits, '-', '_' and '.', but this is '" + word + "'.");
    }
    return new Rule(word, null, null, WarmShelf.MAIN_SHELF);
  }

  /**
   * Fits the statements of one normal form.
   *
   * @param digits the beginning of the form's digest, as {@code shelf key} shows it; eight at least
   * @throws IllegalArgumentException if they are fewer, or no hexadecimal digits
   */
  public static Rule ofForm(String digits) {
    String lower = digits.toLowerCase(Locale.ROOT);
    if (!lower.matches("[0-9a-f]+") || lower.length() < LEAST_DIGITS) {
      throw new IllegalArgumentException(
          "A form's digest begins with "
              + LEAST_DIGITS
              + " or more hexadecimal digits, but this is '"
              + digits
              + "'. 'shelf key' shows it.");
    }
    return new Rule(null, lower, null, WarmShelf.MAIN_SHELF);
  }

  /**
   * Fits statements that read at least one table, and none beside these; of a view it is the tables
   * beneath. Which those are the database is asked, once for each statement; until it has answered,
   * nothing is kept.
   *
   * @param tables as the catalogue spells them, with or without their schema
   * @throws IllegalArgumentException if there is none
   */
  public static Rule ofTables(Collection<String> tables) {
    if (tables.isEmpty()) {
      throw new IllegalArgumentException("A rule by tables names one at least.");
    }
    return new Rule(null, null, new TreeSet<>(tables), WarmShelf.MAIN_SHELF);
  }

  /** As {@link #ofTables(Collection)}. */
  public static Rule ofTables(String... tables) {
    return ofTables(Set.of(tables));
  }

  /**
   * The same, whose answers are kept on this shelf; without it, on {@link WarmShelf#MAIN_SHELF}.
   */
  public Rule on(String name) {
    return new Rule(mark, digest, tables, Objects.requireNonNull(name, "name"));
  }

  /** The same, whose answers are not kept. */
  public Rule never() {
    return new Rule(mark, digest, tables, null);
  }

  /** The tables that it names, if it knows its statements by those; else none. */
  public Set<String> tables() {
    return tables == null ? Set.of() : Collections.unmodifiableSet(tables);
  }

  /** What becomes of what it fits, in words. */
  String standing() {
    return shelf == null ? "a rule: not kept" : keptOn(shelf);
  }

  static String keptOn(String shelf) {
    return "kept on " + shelf;
  }

  /** Whether answers are kept of what it fits. */
  public boolean keeps() {
    return shelf != null;
  }

  /** What it fits, and what is done then, in words. */
  @Override
  public String toString() {
    String fits;
    if (mark != null) {
      fits = "mark " + mark;
    } else {
      fits = digest != null ? "form " + digest : "tables " + tables;
    }
    return fits + (shelf == null ? ": not kept" : ": kept on " + shelf);
  }

  /** The shelf's name; null if nothing is kept. */
  @Nullable String shelf() {
    return shelf;
  }

  /** Whether the database must be asked about a statement before it is known whether it fits. */
  boolean needsTables() {
    return tables != null;
  }

  boolean fitsText(Collection<String> marks, String formDigest) {
    return (mark != null && marks.contains(mark))
        || (digest != null && formDigest.startsWith(digest));
  }

  /**
   * @param read the names of each table that is read: with its schema, and without
   */
  boolean fitsTables(Collection<Set<String>> read) {
    Set<String> named = tables;
    Predicate<Set<String>> isNamed =
        names -> named != null && names.stream().anyMatch(named::contains);
    return !read.isEmpty() && read.stream().allMatch(isNamed);
  }
}
