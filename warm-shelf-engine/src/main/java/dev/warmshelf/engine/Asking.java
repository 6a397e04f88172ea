package dev.warmshelf.engine;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.Binder;
import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.caller.Bypass;
import dev.warmshelf.caller.Caller;
import dev.warmshelf.caller.Choice;
import dev.warmshelf.caller.Over;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.database.Database;
import dev.warmshelf.database.Session;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.plan.InterestPlan;
import dev.warmshelf.plan.MendingPlan;
import dev.warmshelf.plan.MendingPlan.Wanted;
import dev.warmshelf.plan.ProbePlan;
import dev.warmshelf.plan.ProbePlan.Tied;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.Others;
import dev.warmshelf.shelf.read.ReadRequest;
import dev.warmshelf.shelf.read.Scope;
import dev.warmshelf.shelf.read.WaitEndedException;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.PartsText;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.TiedText;
import dev.warmshelf.statement.Verdict;
import dev.warmshelf.verdict.Verdicts;
import dev.warmshelf.verdict.Verdicts.Judged;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.SQLTimeoutException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A question as the shelf is asked it: a statement with values, who asks, and what kind of answer
 * he takes. To be asked once by one thread.
 */
public final class Asking {
  private static final BypassReason STANDS_DOWN = BypassReason.STANDS_DOWN;

  private static final Logger LOG = LoggerFactory.getLogger(Asking.class);

  /** If more parts of an answer have changed, all of it is loaded again. */
  private static final int MOST_PARTS = 50;

  /** Stands for a parameter that has no value yet; null is a value. */
  private static final Object UNSET = new Object();

  private final KeptStatement statement;
  private final @Nullable Object[] values;
  private List<Lane> tags;
  private long freshWithinNanos = Long.MAX_VALUE;
  private long waitLimitNanos = Long.MAX_VALUE;
  private @Nullable Expiry expiry;
  private @Nullable OldAnswers old;
  private Caller caller = Caller.ANYBODY;
  private @Nullable Binder binder;

  /**
   * Whether the library asks for its own use: what its caller is in the midst of does not count.
   */
  private boolean ofLibrary;

  /** Why no shelf took part, in words; null if one did. */
  private @Nullable String around;

  /** One whose values are still to be given. */
  public Asking(KeptStatement statement) {
    this.statement = statement;
    this.values = new @Nullable Object[statement.keys().parameters().length];
    this.tags = statement.tags();
    Arrays.fill(values, UNSET);
  }

  /** One with all its values, that somebody hands to the driver in his own way. */
  public Asking(KeptStatement statement, @Nullable Object[] values, Binder binder, Caller caller) {
    this.statement = statement;
    this.values = values;
    this.tags = statement.tags();
    this.binder = binder;
    this.caller = caller;
  }

  /** The same question as it is now, to be asked by another thread, on any connection. */
  private Asking(Asking same) {
    this.statement = same.statement;
    this.binder = same.binder;
    this.values = same.frozen();
    this.tags = same.tags;
    this.expiry = same.expiry;
    this.old = same.old;
  }

  /** Gives a parameter its value, as the key and the database get it. */
  public void give(int parameter, @Nullable Object value) {
    values[parameter] = value;
  }

  /** Who asks; by default anybody. */
  public void by(Caller who) {
    this.caller = who;
  }

  /** Misses no change that committed longer ago than this; by default there is no bound. */
  public void freshWithin(long nanos) {
    this.freshWithinNanos = nanos;
  }

  /** Waits no longer than this for another caller's load; by default as long as that may take. */
  public void waitAtMost(long nanos) {
    this.waitLimitNanos = nanos;
  }

  /** Ends otherwise than the shelf's policy says. */
  public void expiring(Expiry when) {
    this.expiry = when;
  }

  /** Takes other old answers than the shelf's policy says. */
  public void taking(OldAnswers onPurpose) {
    this.old = onPurpose;
  }

  /** Tags the answer. */
  public void tagged(Lane tag) {
    List<Lane> all = new ArrayList<>(tags);
    all.add(tag);
    tags = List.copyOf(all);
  }

  /** The library asks for its own use. */
  public void ofLibrary() {
    this.ofLibrary = true;
  }

  /** The key of the question, in the kind of session that it is asked in. */
  public Key key() throws SQLException {
    return key(sessions().current(held()));
  }

  public Key key(Sessions.Kind kind) {
    String[] names = statement.keys().parameters();
    for (int i = 0; i < values.length; i++) {
      if (values[i] == UNSET) {
        throw new IllegalArgumentException(
            "Parameter '" + names[i] + "' has no value. Call with(\"" + names[i] + "\", ...).");
      }
    }
    return statement.keys().key(values, kind);
  }

  public <V> Reading<V> read(Function<Answer, V> view) throws SQLException {
    Sessions.Kind kind = sessions().current(held());
    Key key = key(kind);
    Choice choice = choice(kind);
    if (choice instanceof SharedRead shared) {
      return !ofLibrary && statement.standingDown() != null
          ? statement.shelf().bypass(STANDS_DOWN, STANDS_DOWN.label(), key, shared, view)
          : readFromShelf(key, shared, view);
    }
    Bypass around = (Bypass) choice;
    Scope.noteBypass();
    if (around.changesData()) {
      throw new IllegalStateException(
          "This statement changes data, and was not run; run it with write(...): "
              + statement.text());
    }
    OwnRead alone = new OwnRead(around.onlyReads());
    return statement.shelf().bypass(around.reason(), around.why(), key, alone, view);
  }

  /**
   * The answer as it is kept, asked by a caller who otherwise asks the database for himself.
   *
   * @return null if no shelf takes part, which is counted
   */
  public @Nullable Reading<Answer> ifShared() throws SQLException {
    Sessions.Kind kind = sessions().current(held());
    Choice choice = choice(kind);
    if (choice instanceof SharedRead shared) {
      return readFromShelf(key(kind), shared, Function.identity());
    }
    Bypass around = (Bypass) choice;
    this.around = around.why();
    statement.shelf().meters().bypass(around.reason());
    return null;
  }

  /** Why no shelf took part when {@link #ifShared} gave nothing, in words. */
  public @Nullable String around() {
    return around;
  }

  /** The question is part of what a computation reads: it is asked no less fresh than that. */
  public void asPartOf(@Nullable Observation computation) {
    if (computation != null) {
      freshWithinNanos = Math.min(freshWithinNanos, computation.freshWithinNanos());
    }
  }

  /** Whether a shelf takes part. */
  private Choice choice(Sessions.Kind kind) throws SQLException {
    if (!statement.engine().isJoined()) {
      return Bypass.because(BypassReason.FEED_LOST);
    }
    Bypass around = caller.around(kind);
    if (around != null) {
      return around;
    }
    Over over = caller.over();
    Judged judged = statement.judged(values, kind, over);
    if (judged == null) {
      return Bypass.because(
          over.isNone() ? BypassReason.NOT_ANALYSED : BypassReason.UNEQUAL_SESSIONS);
    } else if (judged.verdict() instanceof Verdict.Refused refused) {
      statement.wasRefused(refused.refusal());
      return Bypass.since(refused.refusal(), judged.onlyReads());
    } else if (judged.analysed().analysis().textsMatter() && aValueMeansMoment()) {
      return Bypass.because(BypassReason.MOMENT_AS_VALUE);
    }
    Verdict.Keepable keepable = (Verdict.Keepable) judged.verdict();
    return new SharedRead(kind, judged, keepable);
  }

  private boolean aValueMeansMoment() {
    for (Object value : values) {
      if (Verdicts.meansMoment(value)) {
        return true;
      }
    }
    return false;
  }

  private <V> Reading<V> readFromShelf(Key key, SharedRead asking, Function<Answer, V> view)
      throws SQLException {
    Scope scope = ofLibrary ? null : Scope.current();
    try {
      if (scope == null) {
        return statement.shelf().read(key, asking, view);
      }
      Reading<Answer> pinned =
          scope.reading(key, () -> statement.shelf().read(key, asking, Function.identity()));
      return pinned.with(view.apply(pinned.value()));
    } catch (WaitEndedException e) {
      throw e.wasInterrupted()
          ? new SQLException(e.getMessage(), database().canceled(), e)
          : new SQLTimeoutException(e.getMessage(), database().canceled(), e);
    }
  }

  private QueryLoader loading() {
    QueryLoader loading = statement.loading(values);
    return binder == null ? loading : loading.boundBy(binder);
  }

  /** The connection that this question must be asked on; null if it may be any. */
  @Nullable Connection held() {
    return caller.held();
  }

  public Sessions sessions() {
    return statement.engine().sessions();
  }

  private Database database() {
    return statement.engine().database();
  }

  private Answer loadedAlone(boolean onlyReads) throws SQLException {
    QueryLoader loading = loading();
    Connection held = held();
    if (held == null) {
      try (Borrowed borrowed = borrow()) {
        return loading.alone(borrowed.connection(), values);
      }
    }
    caller.sends(onlyReads);
    Answer answer = loading.alone(held, values);
    caller.learn(sessions());
    return answer;
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
      return loadedAlone(onlyReads);
    }

    @Override
    public AskedQuestion words() {
      return asWords();
    }
  }

  /** What the shelf asks of this question when it has no answer. */
  final class SharedRead implements Choice, ReadRequest<Answer, SQLException> {
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
        try {
          return loadedFromPool();
        } catch (SQLException e) {
          if (!loading().isOutdatedPlan(e)) {
            throw e;
          }
          return loadedFromPool(); // a pool may have given that connection up
        }
      }
      caller.sends(judged.onlyReads());
      QueryLoader.Loaded loaded = loading().withSession(held, values, true);
      caller.saw(loaded.session(), kind);
      return shareable(loaded, false);
    }

    @Override
    public Answer loadAlone() throws SQLException {
      return loadedAlone(judged.onlyReads());
    }

    @Override
    public boolean mayStandDown() {
      return !ofLibrary && KeptStatement.needsNoShelf();
    }

    private Answer loadedFromPool() throws SQLException {
      try (Borrowed borrowed = borrow()) {
        return shareable(loading().withSession(borrowed.connection(), values, false), true);
      }
    }

    /**
     * @param fromPool whether the session tells what the data source hands out
     */
    private Answer shareable(QueryLoader.Loaded loaded, boolean fromPool) {
      Session session = loaded.session();
      boolean like = fromPool ? sessions().isLike(kind, session) : session.reads(kind.ambient());
      shared = like && !session.hasWritten() && !session.replica() && loaded.answer().isShareable();
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
    public @Nullable Loader<@Nullable Answer, SQLException> mending(Answer old, LookBack changes) {
      if (held() != null) {
        return null;
      }
      MendingPlan plan = verdict.mending();
      Wanted wanted = plan == null ? null : plan.wanted(old, changes.sinceTouched(), MOST_PARTS);
      if (plan != null && wanted != null) {
        return () -> mended(old, plan, wanted);
      }
      List<Tied> all = tied(changes.touching());
      return all == null ? null : () -> probed(old, all);
    }

    /** The old answer, if the changes do not reach it. */
    private @Nullable Answer probed(Answer old, List<Tied> all) {
      for (Tied tied : all) {
        TiedText.Asked probe = TiedText.probe(tied);
        SqlStatement asked = statement.engine().statement(probe.text());
        Answer found =
            aside(
                new QueryLoader(database(), asked.driverText(), asked.driverOrder()),
                probe.inOrder(asked.parameters()));
        if (found == null || !Boolean.FALSE.equals(found.value(0, 0))) {
          return null;
        }
      }
      return statement.engine().ownWrites().learned() ? old : null;
    }

    @Override
    public boolean cannotReach(List<Change> touching) {
      List<Tied> all = held() == null ? tied(touching) : null;
      Duration limit = Duration.ofNanos(waitLimitNanos);
      return all != null && all.stream().allMatch(tied -> statement.engine().excludes(tied, limit));
    }

    private @Nullable List<Tied> tied(List<Change> touching) {
      ProbePlan probe = verdict.probe();
      return probe == null ? null : probe.tied(touching, values, MOST_PARTS);
    }

    private @Nullable Answer mended(Answer old, MendingPlan plan, Wanted wanted) {
      @Nullable Object[] more = Arrays.copyOf(values, values.length + 1);
      more[values.length] = PartsText.values(wanted.by().kind(), wanted.parts());
      Answer asked = aside(loading().of(wanted, old.columns().size(), values.length), more);
      if (asked == null) {
        return null;
      }
      List<Integer> places = plan.places(old, asked, wanted);
      return places != null && statement.engine().ownWrites().learned()
          ? old.withRowsOf(asked, places)
          : null;
    }

    /** What is asked to spare a load; null if that did not work. */
    private @Nullable Answer aside(QueryLoader asking, @Nullable Object[] with) {
      try (Borrowed borrowed = borrow()) {
        return shareable(asking.withSession(borrowed.connection(), with, false), true);
      } catch (SQLException e) {
        boolean outdated = asking.isOutdatedPlan(e);
        LOG.debug("An answer could not be mended, outdated {}; it is loaded.", outdated, e);
        return null;
      }
    }

    @Override
    public List<String> toldApartBy(Lane table) {
      List<String> tracked = statement.engine().trackedColumns(table);
      Set<String> all = new LinkedHashSet<>(tracked);
      all.addAll(Analysed.proposal(List.of(judged.analysed())).getOrDefault(table, List.of()));
      return all.size() > tracked.size() ? List.copyOf(all) : List.of();
    }

    @Override
    public @Nullable String unshareable(Answer answer) {
      return shared ? null : "it was read in a session unlike others', or that had written";
    }

    @Override
    public boolean isSame(Answer one, Answer other) {
      return one.hasSameRows(other);
    }

    @Override
    public String difference(Answer kept, Answer read) {
      return kept.difference(read);
    }

    @Override
    public boolean isDecided() {
      return judged.analysed().analysis().isDecided();
    }

    @Override
    public boolean mayAskAside() {
      return !statement.engine().waits().isShort();
    }

    @Override
    public @Nullable ReadRequest<Answer, SQLException> elsewhere() {
      // What the data source hands out may depend on the caller's thread.
      return held() != null || sessions().areNamed()
          ? null
          : new Asking(Asking.this).new SharedRead(kind, judged, verdict);
    }

    @Override
    public @Nullable Expiry expiry() {
      return expiry;
    }

    @Override
    public @Nullable OldAnswers old() {
      return old;
    }

    @Override
    public boolean isOfDatabase(Exception error) {
      return error instanceof SQLException failed && database().isTrouble(failed);
    }

    @Override
    public long freshWithinNanos() {
      return freshWithinNanos;
    }

    @Override
    public @Nullable Others fromOthers() {
      return statement.engine().others(statement, judged);
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
  public void askVerdict(Caller writer) throws SQLException {
    Sessions.Kind kind = sessions().current(writer.held());
    key(kind); // all parameters have values
    statement.judged(values, kind, writer.over());
  }

  /**
   * What an answer to this question depends on, or nothing if such answers are not kept, or nobody
   * has found out before the transaction wrote.
   */
  public Optional<Footprint> footprintOf(Answer answer, Caller writer) throws SQLException {
    Sessions.Kind kind = sessions().current(writer.held());
    Judged judged = statement.judged(values, kind, Over.Plain.NONE);
    if (judged != null && judged.verdict() instanceof Verdict.Keepable keepable) {
      SharedRead asking = new SharedRead(kind, judged, keepable);
      return Optional.of(asking.lanes(asking.lanes(), answer));
    }
    return Optional.empty();
  }

  private AskedQuestion asWords() {
    return new AskedQuestion(
        statement.text(), statement.keys().parameterList(), Arrays.asList(frozen()));
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

  /** Each statement a transaction of its own: its snapshot is taken after the shelf's fence. */
  private Borrowed borrow() throws SQLException {
    return Borrowed.from(statement.engine().source(), statement.engine().waits()).autoCommit(true);
  }

  public AnswerShelf shelf() {
    return statement.shelf();
  }
}
