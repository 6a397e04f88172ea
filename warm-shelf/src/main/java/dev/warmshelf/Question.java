package dev.warmshelf;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.base.Durations;
import dev.warmshelf.caller.CallersConnection;
import dev.warmshelf.engine.Asking;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.Observation;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLTimeoutException;
import java.time.Duration;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * A query with values for its parameters, to be asked once by one thread.
 *
 * <p>Errors of the database reach the caller as they are; nothing is kept then. Callers who share a
 * load share its error.
 *
 * @param <T> what a row is mapped to
 */
public final class Question<T> {
  private final Asking asking;
  private final ShelvedQuery<T> query;

  Question(ShelvedQuery<T> query) {
    this.asking = new Asking(query.statement());
    this.query = query;
  }

  /**
   * Gives a parameter its value; a later value replaces an earlier one.
   *
   * @param parameter its name without the colon; {@code "1"} is the first question mark
   * @param value a string, number, boolean, enum constant, UUID, java.time value, bytes, a list of
   *     these, or null. Not to be changed until the question is answered
   * @throws IllegalArgumentException if the query has no such parameter
   */
  public Question<T> with(String parameter, @Nullable Object value) {
    if (query.statement().keys().leavesOut(parameter)) {
      return this;
    }
    int index = indexOf(parameter);
    asking.give(index, query.statement().keys().folded(index, value));
    return this;
  }

  /**
   * Asks inside a transaction. As long as that has written nothing and reads what has been
   * committed last, its questions are answered like all others; otherwise the database answers, on
   * the transaction's connection, and nobody else gets the answer.
   */
  public Question<T> within(Transaction inside) {
    asking.by(inside.caller());
    return this;
  }

  /**
   * Asks on a connection of the caller's, which is asked first, in a round trip of its own, what
   * its session is like. If that is like others', has written nothing and reads what has been
   * committed last, the question is answered like all others; otherwise the database answers, on
   * that connection, and nobody else gets the answer. No other connection is used.
   *
   * @param held used by no other thread, and left as it is
   */
  public Question<T> on(Connection held) {
    asking.by(new CallersConnection(held, asking.sessions().database()));
    return this;
  }

  /**
   * Asks for an answer that misses no change which committed longer ago than this.
   *
   * @param bound zero or longer; at zero a read that begins from now on must give the answer
   */
  public Question<T> freshWithin(Duration bound) {
    asking.freshWithin(Durations.saturatedNanos(requireNotNegative(bound)));
    return this;
  }

  /**
   * Waits for no longer than this for another caller's load of the same question; then a {@link
   * SQLTimeoutException} is thrown. By default as long as such a load is not stuck ({@link
   * Policy#waitingAtMost}).
   *
   * @param limit zero or longer; at zero nobody is waited for, and the question is asked at once
   */
  public Question<T> waitingAtMost(Duration limit) {
    asking.waitAtMost(Durations.saturatedNanos(requireNotNegative(limit)));
    return this;
  }

  private static Duration requireNotNegative(Duration bound) {
    if (bound.isNegative()) {
      throw new IllegalArgumentException("A bound cannot be negative, but is " + bound + ".");
    }
    return bound;
  }

  /**
   * Has the answer end otherwise than the shelf's policy says, if this question is what fills it.
   */
  public Question<T> expiring(Expiry when) {
    asking.expiring(Objects.requireNonNull(when, "when"));
    return this;
  }

  /**
   * Takes other old answers than the shelf's policy says, as far as the shelf has them still: how
   * long it holds them is the policy's.
   */
  public Question<T> taking(OldAnswers onPurpose) {
    asking.taking(Objects.requireNonNull(onPurpose, "onPurpose"));
    return this;
  }

  /** Tags the answer, if this question is what fills the shelf; see {@link WarmShelf#clearTag}. */
  public Question<T> tagged(String tag) {
    asking.tagged(Lane.ofTag(tag));
    return this;
  }

  /**
   * Invalidates the answer to this question.
   *
   * @throws SQLException if its session is named, nothing is known of such sessions yet, and the
   *     database could not be asked
   */
  public void clear() throws SQLException {
    query.statement().shelf().clear(key());
  }

  /**
   * All rows, in the database's order; unmodifiable.
   *
   * @throws SQLException if the database could not be asked
   */
  public Reading<List<T>> list() throws SQLException {
    return observed(query.asList);
  }

  /**
   * A page of {@link #list}, cut from the answer that is kept whole: all pages are of one answer,
   * as long as that is kept, and only the first one asks the database. A list that is too long to
   * be kept whole is better asked page by page: then each page is a question of its own, with
   * {@code LIMIT} and {@code OFFSET}, or the last row's values, as parameters. The query must say
   * its order, or else an answer that is loaded again may have another one.
   *
   * @param number from 0
   * @param size how many rows a page has
   * @throws IllegalArgumentException if the number is negative, or the size less than 1
   * @throws SQLException if the database could not be asked
   */
  public Reading<Page<T>> page(int number, int size) throws SQLException {
    Reading<List<T>> whole = list();
    return whole.with(Page.of(whole.value(), number, size));
  }

  /**
   * The first row, or none; none, too, if it is a single column's null. The whole answer is kept
   * all the same; see {@code LIMIT}.
   *
   * @throws SQLException if the database could not be asked
   */
  public Reading<Optional<T>> first() throws SQLException {
    return observed(query.asFirst);
  }

  /**
   * The only row; null if it is a single column's null.
   *
   * @throws IllegalStateException if there is not exactly one
   * @throws SQLException if the database could not be asked
   */
  public Reading<T> only() throws SQLException {
    return observed(query.asOnly);
  }

  private <V> Reading<V> observed(Function<Answer, V> view) throws SQLException {
    asking.asPartOf(Observation.current());
    return Observation.noted(counted(asking.read(view)));
  }

  private <V> Reading<V> counted(Reading<V> reading) {
    query.count().isAnswered(reading.origin());
    return reading;
  }

  /** What is kept, as it is, for the library's own use. */
  Reading<Answer> answer() throws SQLException {
    asking.ofLibrary();
    return counted(asking.read(Function.identity()));
  }

  /**
   * The digest of the question's key, by which tools and logs call it.
   *
   * @return 64 hexadecimal digits
   * @throws IllegalArgumentException if a parameter has no value, or one of an unknown type
   * @throws SQLException as {@link #clear} does
   */
  public String digest() throws SQLException {
    return key().digest();
  }

  Key key() throws SQLException {
    return asking.key();
  }

  Asking asking() {
    return asking;
  }

  ShelvedQuery<T> query() {
    return query;
  }

  private int indexOf(String parameter) {
    String[] names = query.statement().keys().parameters();
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
}
