package dev.warmshelf;

import dev.warmshelf.key.Footprint;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.Lane;
import dev.warmshelf.key.Lanes;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.row.Answer;
import dev.warmshelf.session.Standing;
import dev.warmshelf.shelf.Inquiry;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Words;
import dev.warmshelf.sql.Verdict;
import java.sql.Connection;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.Callable;
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
  private List<Lane> tags;
  private long freshWithinNanos = Long.MAX_VALUE;
  private @Nullable Transaction transaction;

  Question(ShelvedQuery<T> query) {
    this.query = query;
    this.values = new @Nullable Object[query.keys().parameters().length];
    this.tags = query.tags();
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

  /**
   * Asks inside a transaction. As long as that has written nothing and reads what has been
   * committed last, its questions are answered like all others; otherwise the database answers, on
   * the transaction's connection, and nobody else gets the answer.
   */
  public Question<T> within(Transaction inside) {
    this.transaction = inside;
    return this;
  }

  /**
   * Asks for an answer that misses no change which committed longer ago than this.
   *
   * @param bound zero or longer; at zero the database is always asked
   */
  public Question<T> freshWithin(Duration bound) {
    if (bound.isNegative()) {
      throw new IllegalArgumentException(
          "A bound on staleness cannot be negative, but is " + bound + ".");
    }
    this.freshWithinNanos = bound.isZero() ? -1 : bound.toNanos();
    return this;
  }

  /** Tags the answer, if this question is what fills the shelf; see {@link WarmShelf#clearTag}. */
  public Question<T> tagged(String tag) {
    List<Lane> all = new ArrayList<>(tags);
    all.add(Lane.ofTag(tag));
    tags = List.copyOf(all);
    return this;
  }

  /** Puts out the answer to this question. */
  public void clear() {
    query.shelf().clear(key());
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
    if (!(verdict instanceof Verdict.Keepable keepable)) {
      String why = ((Verdict.Refused) verdict).refusal().message();
      return bypass(BypassReason.REFUSED, why, key, view);
    }
    Transaction inside = transaction;
    if (inside != null && inside.standing() != Standing.LIKE_OTHERS) {
      return bypass(BypassReason.IN_TRANSACTION, inside.standing().label(), key, view);
    }
    return query.shelf().read(key, new Asking(keepable.lanes()), view);
  }

  private <V> Reading<V> bypass(BypassReason reason, String why, Key key, Function<Answer, V> view)
      throws SQLException {
    return query.shelf().bypass(reason, why, key, new Around(), view);
  }

  /** What the shelf asks of this question when the answer is for its caller alone. */
  private final class Around implements Inquiry<Answer, SQLException> {
    @Override
    public Footprint lanes() {
      return Footprint.NOTHING;
    }

    @Override
    public Answer load() throws SQLException {
      return onConnection(query.loading()::alone);
    }

    @Override
    public Words words() {
      return asWords();
    }
  }

  /** What the shelf asks of this question when it has no answer. */
  private final class Asking implements Inquiry<Answer, SQLException> {
    private final Lanes lanes;

    Asking(Lanes lanes) {
      this.lanes = lanes;
    }

    @Override
    public Footprint lanes() {
      return lanes.beforeLoad(values).and(tags);
    }

    @Override
    public Answer load() throws SQLException {
      return onConnection(query.loading()::withSession);
    }

    @Override
    public Footprint lanes(Footprint before, Answer answer) {
      return lanes.needAnswer() ? before.and(lanes.afterLoad(answer)) : before;
    }

    @Override
    public boolean mayBeShared(Answer answer) {
      return answer.mayBeShared();
    }

    @Override
    public boolean isSame(Answer one, Answer other) {
      return one.hasSameRows(other);
    }

    @Override
    public @Nullable Callable<Answer> again() {
      if (transaction != null) {
        return null;
      }
      @Nullable Object[] asked = values.clone(); // the question may be given other values meanwhile
      return () -> onPoolsConnection(connection -> query.loading().alone(connection, asked));
    }

    @Override
    public long freshWithinNanos() {
      return freshWithinNanos;
    }

    @Override
    public Words words() {
      return asWords();
    }
  }

  /** What an answer to this question stands on, or nothing if such answers are not kept. */
  Optional<Footprint> footprintOf(Answer answer) throws SQLException {
    if (query.verdict() instanceof Verdict.Keepable keepable) {
      Asking asking = new Asking(keepable.lanes());
      return Optional.of(asking.lanes(asking.lanes(), answer));
    }
    return Optional.empty();
  }

  private Words asWords() {
    // The question may be given other values later.
    return new Words(query.text(), query.keys().parameterList(), Arrays.asList(values.clone()));
  }

  ShelvedQuery<T> query() {
    return query;
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

  private interface Work {
    Answer on(Connection connection, @Nullable Object[] values) throws SQLException;
  }

  private Answer onConnection(Work work) throws SQLException {
    Transaction inside = transaction;
    return inside == null
        ? onPoolsConnection(connection -> work.on(connection, values))
        : work.on(inside.connectionFor(query.kind()), values);
  }

  private interface PoolsWork {
    Answer on(Connection connection) throws SQLException;
  }

  private Answer onPoolsConnection(PoolsWork work) throws SQLException {
    try (Connection connection = query.warm().dataSource().getConnection()) {
      // Each statement a transaction of its own: its snapshot is taken after the shelf's fence.
      boolean autoCommit = connection.getAutoCommit();
      if (!autoCommit) {
        connection.setAutoCommit(true);
      }
      try {
        return work.on(connection);
      } finally {
        if (!autoCommit) {
          connection.setAutoCommit(false);
        }
      }
    }
  }
}
