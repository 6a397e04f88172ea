package dev.warmshelf.sql;

import dev.warmshelf.key.Lane;
import dev.warmshelf.key.ValueKind;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * What the database knows of the names in a statement. Names come as the catalogue spells them:
 * unquoted ones already folded, quoted ones without their quotes. A null schema means: by the
 * search path.
 *
 * <p>Implementations are thread-safe. They may throw {@link CatalogueException} when they cannot
 * ask.
 */
public interface Catalogue {
  Relation relation(@Nullable String schema, String name);

  Volatility function(@Nullable String schema, String name);

  /** What a relation's name stands for. */
  sealed interface Relation {
    /**
     * A table.
     *
     * @param lane its root's lane, if it is a partition or an inheritance child
     * @param columns those by whose values rows can be told apart; null if nobody could be asked
     */
    record Table(Lane lane, @Nullable Map<String, ValueKind> columns) implements Relation {
      /** A table of whose columns nothing is known. */
      public Table(Lane lane) {
        this(lane, null);
      }

      /** The column's kind, or null if rows cannot be told apart by it. */
      public @Nullable ValueKind kind(String column) {
        return columns == null ? ValueKind.UNKNOWN : columns.get(column);
      }
    }

    /**
     * A view.
     *
     * @param definition its query, in which unqualified names mean what they mean here
     */
    record View(String definition) implements Relation {}

    /**
     * Something whose changes cannot be followed, such as a materialized view or a temporary table.
     *
     * @param what in words, for the engineer
     */
    record Unfollowable(String what) implements Relation {}

    /** There is no such relation. */
    record Missing() implements Relation {}
  }

  /** What is known of all functions that a name can mean, the better before the worse. */
  enum Volatility {
    /** The same arguments give the same result, whatever else changes. */
    IMMUTABLE,
    /** One of PostgreSQL's own that may depend on settings of the session or on the moment. */
    SYSTEM_STABLE,
    /** One of the engineers' own that may depend on tables, settings or the moment. */
    STABLE,
    /** The result may differ from call to call. */
    VOLATILE,
    /** There is no such function. */
    MISSING,
    /** Nobody could be asked. */
    UNKNOWN
  }

  /**
   * A catalogue for when there is no database to ask. It takes every name for a table, in {@code
   * public} unless qualified, and knows only the functions that come with PostgreSQL.
   */
  static Catalogue guessed() {
    return new Catalogue() {
      @Override
      public Relation relation(@Nullable String schema, String name) {
        return new Relation.Table(Lane.ofTable(schema == null ? "public" : schema, name));
      }

      @Override
      public Volatility function(@Nullable String schema, String name) {
        return Volatility.UNKNOWN;
      }
    };
  }
}
