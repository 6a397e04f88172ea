package dev.warmshelf.shelf;

import dev.warmshelf.base.Library;
import java.util.Collection;
import java.util.Collections;
import java.util.Locale;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import org.jspecify.annotations.Nullable;

/**
 * Says of a program's statements, as they come through {@code WarmShelf.dataSource()}, on which
 * shelf their answers are kept, or that they are not. Of several rules the first that fits decides;
 * nothing is kept that none fits. Immutable.
 */
public final class Rule {
  private static final int LEAST_DIGITS = 8;

  private final Fit fit;
  private final @Nullable String shelf;
  private final boolean readOnly;

  /** By what statements are known. */
  private sealed interface Fit {
    record Mark(String word) implements Fit {
      @Override
      public String toString() {
        return "mark " + word;
      }
    }

    record Form(String digits) implements Fit {
      @Override
      public String toString() {
        return "form " + digits;
      }
    }

    /**
     * @param exactly whether all of them are read
     */
    record Tables(Set<String> names, boolean exactly) implements Fit {
      @Override
      public String toString() {
        return (exactly ? "tables exactly " : "tables among ") + names;
      }
    }
  }

  private Rule(Fit fit, @Nullable String shelf, boolean readOnly) {
    this.fit = fit;
    this.shelf = shelf;
    this.readOnly = readOnly;
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
    return new Rule(new Fit.Mark(word), Library.MAIN_SHELF, false);
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
    return new Rule(new Fit.Form(lower), Library.MAIN_SHELF, false);
  }

  /**
   * Fits statements that read one of these tables or several, and no other; of a view it is the
   * tables beneath. Which those are the database is asked, once for each statement; until it has
   * answered, nothing is kept.
   *
   * @param tables as the catalogue spells them, with or without their schema
   * @throws IllegalArgumentException if there is none
   */
  public static Rule ofTablesAmong(Collection<String> tables) {
    return ofTables(tables, false);
  }

  /** As {@link #ofTablesAmong(Collection)}. */
  public static Rule ofTablesAmong(String... tables) {
    return ofTablesAmong(Set.of(tables));
  }

  /**
   * Fits statements that read all of these tables, and no other; otherwise as {@link
   * #ofTablesAmong(Collection)}.
   *
   * @throws IllegalArgumentException if there is none
   */
  public static Rule ofTablesExactly(Collection<String> tables) {
    return ofTables(tables, true);
  }

  private static Rule ofTables(Collection<String> tables, boolean exactly) {
    if (tables.isEmpty()) {
      throw new IllegalArgumentException("A rule by tables names one at least.");
    }
    Set<String> names = Collections.unmodifiableSet(new TreeSet<>(tables));
    return new Rule(new Fit.Tables(names, exactly), Library.MAIN_SHELF, false);
  }

  /**
   * The same, whose answers are kept on this shelf; without it, on {@code WarmShelf.MAIN_SHELF}.
   */
  public Rule on(String name) {
    return new Rule(fit, Objects.requireNonNull(name, "name"), readOnly);
  }

  /** The same, whose answers are not kept. */
  public Rule never() {
    return new Rule(fit, null, readOnly);
  }

  /**
   * The same for statements outside of transactions, and in those that the program has said only
   * read ({@code Connection.setReadOnly}): in one that may write later the database answers, so
   * that nothing is written from an answer that misses what has been committed since.
   */
  public Rule inReadOnlyTransactions() {
    return new Rule(fit, shelf, true);
  }

  /** Whether it is for read-only transactions alone, of all that are not auto-commit. */
  public boolean needsReadOnly() {
    return readOnly;
  }

  /** The tables that it names, if it knows its statements by those; else none. */
  public Set<String> tables() {
    return fit instanceof Fit.Tables named ? named.names() : Set.of();
  }

  /** What becomes of what it fits, in words. */
  public String standing() {
    return shelf == null ? "a rule: not kept" : keptOn(shelf);
  }

  /** What becomes of what is kept on a shelf, in words. */
  public static String keptOn(String shelf) {
    return "kept on " + shelf;
  }

  /** Whether answers are kept of what it fits. */
  public boolean keeps() {
    return shelf != null;
  }

  /** What it fits, and what is done then, in words. */
  @Override
  public String toString() {
    return fit
        + (shelf == null ? ": not kept" : ": kept on " + shelf)
        + (readOnly ? ", not in transactions that may write" : "");
  }

  /** The shelf's name; null if nothing is kept. */
  public @Nullable String shelf() {
    return shelf;
  }

  /** Whether the database must be asked about a statement before it is known whether it fits. */
  public boolean needsTables() {
    return fit instanceof Fit.Tables;
  }

  /**
   * Whether it fits by what a text says.
   *
   * @param marks in its comments
   * @param formDigest of its normal form
   */
  public boolean fitsText(Collection<String> marks, String formDigest) {
    return fit instanceof Fit.Mark mark
        ? marks.contains(mark.word())
        : fit instanceof Fit.Form form && formDigest.startsWith(form.digits());
  }

  /**
   * @param read the names of each table that is read: with its schema, and without
   */
  public boolean fitsTables(Collection<Set<String>> read) {
    if (read.isEmpty() || !(fit instanceof Fit.Tables named)) {
      return false;
    }
    boolean among =
        read.stream().allMatch(names -> names.stream().anyMatch(named.names()::contains));
    return among
        && (!named.exactly()
            || named.names().stream()
                .allMatch(name -> read.stream().anyMatch(names -> names.contains(name))));
  }
}
