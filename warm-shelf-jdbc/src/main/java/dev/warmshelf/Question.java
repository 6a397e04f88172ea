package dev.warmshelf;

import dev.warmshelf.key.Key;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.row.Answer;
import dev.warmshelf.row.Binding;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.sql.Verdict;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * A query with values for its parameters, to be asked once by one thread.
 *
 * <p>Errors of the database reach the caller as they are; nothing is kept then.
 *
 * @param <T> what a row is mapped to
 */
public final class Question<T> {
  /** Stands for a parameter that has no value yet; null is a value. */
  private static final Object UNSET = new Object();

  private final ShelvedQuery<T> query;
  private final @Nullable Object[] values;

  Question(ShelvedQuery<T> query) {
    this.query = query;
    this.values = new @Nullable Object[query.keys().parameters().length];
    Arrays.fill(values, UNSET);
  }

  /**
   * Gives a parameter its value; a later value replaces an earlier one.
   *
   * @param parameter its name without the colon; {@code "1"} is the first question mark
   * @param value a string, number, boolean, UUID, java.time value, bytes, a list of these, or null.
   *     Not to be changed until the question is answered
   * @throws IllegalArgumentException if the query has no such parameter
   */
  public Question<T> with(String parameter, @Nullable Object value) {
    if (query.keys().leavesOut(parameter)) {
      return this;
    }
    int index = indexOf(parameter);
    values[index] = query.keys().folded(index, value);
    return this;
  }

  /** All rows, in the database's order; unmodifiable. */
  public Reading<List<T>> list() throws SQLException {
    return read(query.asList);
  }

  /** The first row, or none. The whole answer is kept all the same; see {@code LIMIT}. */
  public Reading<Optional<T>> first() throws SQLException {
    return read(query.asFirst);
  }

  /**
   * The only row; null if it is a single column's null.
   *
   * @throws IllegalStateException if there is not exactly one
   */
  public Reading<T> only() throws SQLException {
    return read(query.asOnly);
  }

  /**
   * The question's key.
   *
   * @throws IllegalArgumentException if a parameter has no value, or one of an unknown type
   */
  public Key key() {
    String[] names = query.keys().parameters();
    for (int i = 0; i < values.length; i++) {
      if (values[i] == UNSET) {
        throw new IllegalArgumentException(
            "Parameter '" + names[i] + "' has no value. Call with(\"" + names[i] + "\", ...).");
      }
    }
    return query.keys().key(values);
  }

  private <V> Reading<V> read(Function<Answer, V> view) throws SQLException {
    Key key = key();
    Verdict verdict = query.verdict();
    if (verdict instanceof Verdict.Keepable keepable) {
      return query
          .shelf()
          .<Answer, V, SQLException>read(
              key, keepable.footprint(), this::load, Answer::mayBeShared, view);
    }
    String why = ((Verdict.Refused) verdict).refusal().message();
    return query
        .shelf()
        .<Answer, V, SQLException>bypass(BypassReason.REFUSED, why, this::load, view);
  }

  private int indexOf(String parameter) {
    String[] names = query.keys().parameters();
    for (int i = 0; i < names.length; i++) {
      if (names[i].equals(parameter)) {
        return i;
      }
    }
    throw new IllegalArgumentException(
        "The query has no parameter '"
            + parameter
            + "'; it has "
            + List.of(names)
            + ": "
            + query.normalForm());
  }

  /** Asks the database. */
  private Answer load() throws SQLException {
    try (Connection connection = query.warm().dataSource().getConnection()) {
      // Each statement a transaction of its own: its snapshot is taken after the shelf's fence.
      boolean autoCommit = connection.getAutoCommit();
      if (!autoCommit) {
        connection.setAutoCommit(true);
      }
      boolean known = query.warm().sessions().isAsExpected(connection);
      try (PreparedStatement statement = connection.prepareStatement(query.driverText())) {
        Binding.bind(statement, values, query.driverOrder());
        try (ResultSet result = statement.executeQuery()) {
          return Answer.read(result, known);
        }
      } finally {
        if (!autoCommit) {
          connection.setAutoCommit(false);
        }
      }
    }
  }
}
