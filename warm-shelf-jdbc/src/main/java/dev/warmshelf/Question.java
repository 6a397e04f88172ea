package dev.warmshelf;

import dev.warmshelf.Verdicts.Judged;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.FootprintPlan;
import dev.warmshelf.lane.Interest;
import dev.warmshelf.lane.InterestPlan;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.lane.MendingPlan;
import dev.warmshelf.lane.MendingPlan.Wanted;
import dev.warmshelf.lane.ProbePlan;
import dev.warmshelf.lane.ProbePlan.Tied;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.row.Answer;
import dev.warmshelf.session.Borrowed;
import dev.warmshelf.session.Visibility;
import dev.warmshelf.shelf.AskedQuestion;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.ReadRequest;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.WaitEndedException;
import dev.warmshelf.sql.PartsText;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.TiedText;
import dev.warmshelf.sql.Verdict;
import dev.warmshelf.sql.tree.Refusal;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLTimeoutException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A query with values for its parameters, to be asked once by one thread.
 *
 * <p>Errors of the database reach the caller as they are; nothing is kept then. Callers who share a
 * load share its error.
 *
 * @param <T> what a row is mapped to
 */
public final class Question<T> {
  private static final Logger LOG = LoggerFactory.getLogger(Question.class);

  /** If more parts of an answer have changed, all of it is loaded again. */
  private static final int MOST_PARTS = 50;

  /** Stands for a parameter that has no value yet; null is a value. */
  private static final Object UNSET = new Object();

  private static final String QUERY_CANCELED = "57014";

  private final ShelvedQuery<T> query;
  private final @Nullable Object[] values;
  private List<Lane> tags;
  private long freshWithinNanos = Long.MAX_VALUE;
  private long waitLimitNanos = Long.MAX_VALUE;
  private @Nullable Expiry expiry;
  private @Nullable OldAnswers old;
  private @Nullable Transaction transaction;
  private @Nullable Connection connection;

  Question(ShelvedQuery<T> query) {
    this.query = query;
    this.values = new @Nullable Object[query.keys().parameters().length];
    this.tags = query.tags();
    Arrays.fill(values, UNSET);
  }

  /** The same question as it is now, to be asked by another thread, on any connection. */
  private Question(Question<T> same) {
    this.query = same.query;
    this.values = same.frozen();
    this.tags = same.tags;
    this.expiry = same.expiry;
    this.old = same.old;
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
   * Asks on a connection of the caller's, which is asked first, in a round trip of its own, what
   * its session is like. If that is like others', has written nothing and reads what has been
   * committed last, the question is answered like all others; otherwise the database answers, on
   * that connection, and nobody else gets the answer. No other connection is used.
   *
   * @param held used by no other thread, and left as it is
   */
  public Question<T> on(Connection held) {
    this.connection = held;
    return this;
  }

  /**
   * Asks for an answer that misses no change which committed longer ago than this.
   *
   * @param bound zero or longer; at zero a read that begins from now on must give the answer
   */
  public Question<T> freshWithin(Duration bound) {
    this.freshWithinNanos = Policy.saturatedNanos(requireNotNegative(bound));
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
    this.waitLimitNanos = Policy.saturatedNanos(requireNotNegative(limit));
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
    this.expiry = Objects.requireNonNull(when, "when");
    return this;
  }

  /**
   * Takes other old answers than the shelf's policy says, as far as the shelf has them still: how
   * long it holds them is the policy's.
   */
  public Question<T> taking(OldAnswers onPurpose) {
    this.old = Objects.requireNonNull(onPurpose, "onPurpose");
    return this;
  }

  /** Tags the answer, if this question is what fills the shelf; see {@link WarmShelf#clearTag}. */
  public Question<T> tagged(String tag) {
    List<Lane> all = new ArrayList<>(tags);
    all.add(Lane.ofTag(tag));
    tags = List.copyOf(all);
    return this;
  }

  /**
   * Invalidates the answer to this question.
   *
   * @throws SQLException if its session is named, nothing is known of such sessions yet, and the
   *     database could not be asked
   */
  public void clear() throws SQLException {
    query.shelf().clear(key());
  }

  /**
   * All rows, in the database's order; unmodifiable.
   *
   * @throws SQLException if the database could not be asked
   */
  public Reading<List<T>> list() throws SQLException {
    return read(query.asList);
  }

  /**
   * The first row, or none; none, too, if it is a single column's null. The whole answer is kept
   * all the same; see {@code LIMIT}.
   *
   * @throws SQLException if the database could not be asked
   */
  public Reading<Optional<T>> first() throws SQLException {
    return read(query.asFirst);
  }

  /**
   * The only row; null if it is a single column's null.
   *
   * @throws IllegalStateException if there is not exactly one
   * @throws SQLException if the database could not be asked
   */
  public Reading<T> only() throws SQLException {
    return read(query.asOnly);
  }

  /** What is kept, as it is. */
  Reading<Answer> answer() throws SQLException {
    return read(Function.identity());
  }

  /**
   * The question's key.
   *
   * @throws IllegalArgumentException if a parameter has no value, or one of an unknown type
   * @throws SQLException as {@link #clear} does
   */
  public Key key() throws SQLException {
    return key(sessions().current(held()));
  }

  Key key(Sessions.Kind kind) {
    String[] names = query.keys().parameters();
    for (int i = 0; i < values.length; i++) {
      if (values[i] == UNSET) {
        throw new IllegalArgumentException(
            "Parameter '" + names[i] + "' has no value. Call with(\"" + names[i] + "\", ...).");
      }
    }
    return query.keys().key(values, kind);
  }

  private <V> Reading<V> read(Function<Answer, V> view) throws SQLException {
    Sessions.Kind kind = sessions().current(held());
    Key key = key(kind);
    Session session = connection == null ? null : Session.of(connection);
    Bypass around = around(kind, session);
    if (around == null) {
      Verdicts.Over over = over();
      Judged judged = query.judged(values, kind, over);
      if (judged == null) {
        around =
            Bypass.because(
                over.isNone() ? BypassReason.NOT_ANALYSED : BypassReason.UNEQUAL_SESSIONS);
      } else if (judged.verdict() instanceof Verdict.Keepable keepable) {
        if (!judged.analysed().analysis().textsMatter() || !aValueMeansMoment()) {
          return readFromShelf(key, new SharedRead(kind, judged, keepable), view);
        }
        around = Bypass.because(BypassReason.MOMENT_AS_VALUE);
      } else {
        around = refused(judged, ((Verdict.Refused) judged.verdict()).refusal());
      }
    }
    OwnRead alone = new OwnRead(around.onlyReads());
    return query.shelf().bypass(around.reason(), around.why(), key, alone, view);
  }

  private Bypass refused(Judged judged, Refusal refusal) {
    if (refusal.reason() == Refusal.Reason.CHANGES_DATA) {
      throw new IllegalStateException(
          "This statement changes data, and was not run; run it with write(...): " + query.text());
    }
    query.wasRefused(refusal);
    return new Bypass(BypassReason.REFUSED, refusal.message(), judged.onlyReads());
  }

  private boolean aValueMeansMoment() {
    for (Object value : values) {
      if (Verdicts.meansMoment(value)) {
        return true;
      }
    }
    return false;
  }

  /** How the database may be asked about the statement. */
  private Verdicts.Over over() {
    if (transaction != null) {
      return transaction.over();
    }
    return connection == null ? Verdicts.ANY : new Verdicts.Over.Callers(connection);
  }

  private <V> Reading<V> readFromShelf(Key key, SharedRead asking, Function<Answer, V> view)
      throws SQLException {
    try {
      return query.shelf().read(key, asking, view);
    } catch (WaitEndedException e) {
      throw e.wasInterrupted()
          ? new SQLException(e.getMessage(), QUERY_CANCELED, e)
          : new SQLTimeoutException(e.getMessage(), QUERY_CANCELED, e);
    }
  }

  /**
   * Why a question bypasses the shelf.
   *
   * @param onlyReads whether it is known to do nothing but read
   */
  private record Bypass(BypassReason reason, String why, boolean onlyReads) {
    static Bypass because(BypassReason reason) {
      return new Bypass(reason, reason.label(), false);
    }
  }

  /** Why it does, whatever it is; null if that depends on what it is. */
  private @Nullable Bypass around(Sessions.Kind kind, @Nullable Session session)
      throws SQLException {
    if (transaction != null) {
      Visibility standing = transaction.visibility();
      if (standing != Visibility.LIKE_OTHERS) {
        return new Bypass(BypassReason.IN_TRANSACTION, standing.label(), false);
      }
      // What its connection is like is known from its loads, or must be asked now.
      return kind.isUnequal() && !transaction.isLike(kind) ? unequal() : null;
    } else if (connection != null && session != null) {
      if (session.hasWritten()) {
        return new Bypass(BypassReason.IN_TRANSACTION, Visibility.OWN_WRITES.label(), false);
      } else if (session.keepsSnapshot() && !connection.getAutoCommit()) {
        return new Bypass(BypassReason.IN_TRANSACTION, Visibility.OLD_SNAPSHOT.label(), false);
      }
      return session.reads(kind.ambient()) ? null : unequal();
    }
    return kind.isUnequal() ? unequal() : null;
  }

  private static Bypass unequal() {
    return Bypass.because(BypassReason.UNEQUAL_SESSIONS);
  }

  /** The connection that this question must be asked on; null if it may be any. */
  private @Nullable Connection held() {
    return transaction != null ? transaction.held() : connection;
  }

  private Sessions sessions() {
    return query.warm().sessions();
  }

  /** What the shelf asks of this question when the answer is for its caller alone. */
  private final class OwnRead implements ReadRequest<Answer, SQLException> {
    private final boolean onlyReads;

    OwnRead(boolean onlyReads) {
      this.onlyReads = onlyReads;
    }

    @Override
    public Footprint lanes() {
      return Footprint.NOTHING;
    }

    @Override
    public Answer load() throws SQLException {
      if (transaction != null) {
        return transaction.readAlone(query.loading(values), values, onlyReads);
      } else if (connection != null) {
        return query.loading(values).alone(connection, values);
      }
      try (Borrowed borrowed = borrow()) {
        return query.loading(values).alone(borrowed.connection(), values);
      }
    }

    @Override
    public AskedQuestion words() {
      return asWords();
    }
  }

  /** What the shelf asks of this question when it has no answer. */
  private final class SharedRead implements ReadRequest<Answer, SQLException> {
    private final Sessions.Kind kind;
    private final Judged judged;
    private final Verdict.Keepable verdict;
    private boolean shared;

    SharedRead(Sessions.Kind kind, Judged judged, Verdict.Keepable verdict) {
      this.kind = kind;
      this.judged = judged;
      this.verdict = verdict;
    }

    @Override
    public Footprint lanes() {
      return verdict.lanes().beforeLoad(values).and(tags);
    }

    @Override
    public boolean holdsFor(long schemaVersion) {
      return judged.holdsFor(schemaVersion);
    }

    @Override
    public Answer load() throws SQLException {
      Connection held = held();
      if (held == null) {
        try (Borrowed borrowed = borrow()) {
          return shareable(query.loading(values).withSession(borrowed.connection(), values), true);
        }
      }
      if (transaction != null) {
        transaction.sends(judged.onlyReads());
      }
      QueryLoader.Loaded loaded = query.loading(values).withSession(held, values);
      if (transaction != null) {
        transaction.saw(loaded.session(), kind);
      }
      return shareable(loaded, false);
    }

    /**
     * @param fromPool whether the session tells what the data source hands out
     */
    private Answer shareable(QueryLoader.Loaded loaded, boolean fromPool) {
      Session session = loaded.session();
      boolean like = fromPool ? sessions().isLike(kind, session) : session.reads(kind.ambient());
      shared = like && !session.hasWritten() && !session.replica();
      return loaded.answer();
    }

    @Override
    public Footprint lanes(Footprint before, Answer answer) {
      FootprintPlan lanes = verdict.lanes();
      return lanes.needAnswer() ? before.and(lanes.afterLoad(answer)) : before;
    }

    @Override
    public @Nullable Interest interest(Answer answer) {
      InterestPlan interest = verdict.interest();
      return interest == null ? null : interest.of(values, answer);
    }

    @Override
    @SuppressWarnings("NullAway") // what is returned may give null
    public @Nullable Loader<@Nullable Answer, SQLException> mending(
        Answer old, List<Change> touching) {
      if (held() != null) {
        return null;
      }
      MendingPlan plan = verdict.mending();
      Wanted wanted = plan == null ? null : plan.wanted(old, touching, MOST_PARTS);
      if (plan != null && wanted != null) {
        return () -> mended(old, plan, wanted);
      }
      List<Tied> all = tied(touching);
      return all == null ? null : () -> probed(old, all);
    }

    /** The old answer, if the changes do not reach it. */
    private @Nullable Answer probed(Answer old, List<Tied> all) {
      for (Tied tied : all) {
        TiedText.Asked probe = TiedText.probe(tied);
        SqlStatement asked = query.warm().statement(probe.text());
        Answer found =
            aside(
                new QueryLoader(asked.driverText(), asked.driverOrder()),
                probe.inOrder(asked.parameters()));
        if (found == null || !Boolean.FALSE.equals(found.value(0, 0))) {
          return null;
        }
      }
      return query.warm().ownWrites().learned() ? old : null;
    }

    @Override
    public boolean cannotReach(List<Change> touching) {
      List<Tied> all = held() == null ? tied(touching) : null;
      Duration limit = Duration.ofNanos(waitLimitNanos);
      return all != null
          && all.stream().allMatch(tied -> query.warm().rosters().excludes(tied, limit));
    }

    private @Nullable List<Tied> tied(List<Change> touching) {
      ProbePlan probe = verdict.probe();
      return probe == null ? null : probe.tied(touching, values, MOST_PARTS);
    }

    private @Nullable Answer mended(Answer old, MendingPlan plan, Wanted wanted) {
      @Nullable Object[] more = Arrays.copyOf(values, values.length + 1);
      more[values.length] = PartsText.values(wanted.by().kind(), wanted.parts());
      Answer asked =
          aside(query.loading(values).of(wanted, old.columns().size(), values.length), more);
      if (asked == null) {
        return null;
      }
      List<Integer> places = plan.places(old, asked, wanted);
      return places != null && query.warm().ownWrites().learned()
          ? old.withRowsOf(asked, places)
          : null;
    }

    /** What is asked to spare a load; null if that did not work. */
    private @Nullable Answer aside(QueryLoader asking, @Nullable Object[] with) {
      try (Borrowed borrowed = borrow()) {
        return shareable(asking.withSession(borrowed.connection(), with), true);
      } catch (SQLException e) {
        LOG.debug("An answer could not be mended; it is loaded instead.", e);
        return null;
      }
    }

    @Override
    public boolean mayBeShared(Answer answer) {
      return shared;
    }

    @Override
    public boolean isSame(Answer one, Answer other) {
      return one.hasSameRows(other);
    }

    @Override
    public @Nullable ReadRequest<Answer, SQLException> elsewhere() {
      // What the data source hands out may depend on the caller's thread.
      return held() != null || sessions().areNamed()
          ? null
          : new Question<>(Question.this).new SharedRead(kind, judged, verdict);
    }

    @Override
    public @Nullable Expiry expiry() {
      return expiry;
    }

    @Override
    public @Nullable OldAnswers old() {
      return old;
    }

    /**
     * By the class of its SQLSTATE (Appendix A of the manual): connections, resources, an
     * operator's intervention, the system.
     */
    @Override
    public boolean isOfDatabase(Exception error) {
      return error instanceof SQLException failed
          && (failed.getSQLState() == null
              || Stream.of("08", "53", "57", "58", "XX")
                  .anyMatch(failed.getSQLState()::startsWith));
    }

    @Override
    public long freshWithinNanos() {
      return freshWithinNanos;
    }

    /** Who holds a connection does not wait for somebody who may be waiting for one. */
    @Override
    public long waitLimitNanos() {
      return held() == null ? waitLimitNanos : 0;
    }

    @Override
    public AskedQuestion words() {
      return asWords();
    }
  }

  /** Has the verdict found out, as long as the transaction's connection can be asked. */
  void askVerdict(Transaction writer) throws SQLException {
    Sessions.Kind kind = sessions().current(writer.held());
    key(kind); // all parameters have values
    query.judged(values, kind, writer.over());
  }

  /**
   * What an answer to this question depends on, or nothing if such answers are not kept, or nobody
   * has found out before the transaction wrote.
   */
  Optional<Footprint> footprintOf(Answer answer, Transaction writer) throws SQLException {
    Sessions.Kind kind = sessions().current(writer.held());
    Judged judged = query.judged(values, kind, Verdicts.NONE);
    if (judged != null && judged.verdict() instanceof Verdict.Keepable keepable) {
      SharedRead asking = new SharedRead(kind, judged, keepable);
      return Optional.of(asking.lanes(asking.lanes(), answer));
    }
    return Optional.empty();
  }

  private AskedQuestion asWords() {
    return new AskedQuestion(query.text(), query.keys().parameterList(), Arrays.asList(frozen()));
  }

  /** The values as they are now: the question may be given others later, and lists be changed. */
  private @Nullable Object[] frozen() {
    @Nullable Object[] copy = values.clone();
    for (int i = 0; i < copy.length; i++) {
      if (copy[i] instanceof List<?> list) {
        copy[i] = Collections.unmodifiableList(new ArrayList<>(list));
      } else if (copy[i] instanceof byte[] bytes) {
        copy[i] = bytes.clone();
      }
    }
    return copy;
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

  /** Each statement a transaction of its own: its snapshot is taken after the shelf's fence. */
  private Borrowed borrow() throws SQLException {
    return Borrowed.from(query.warm().dataSource()).autoCommit(true);
  }
}
