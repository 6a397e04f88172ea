package dev.warmshelf;

import dev.warmshelf.base.Library;
import dev.warmshelf.base.SystemTime;
import dev.warmshelf.caller.Over;
import dev.warmshelf.caller.OwnWrites;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.database.Session;
import dev.warmshelf.delivery.Delivery;
import dev.warmshelf.door.Door;
import dev.warmshelf.door.DoorText;
import dev.warmshelf.door.ShelvedDataSource;
import dev.warmshelf.engine.Clearings;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.engine.NamedShelves;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.jmx.JmxBeans;
import dev.warmshelf.jmx.Program;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.outside.SharedAnswers;
import dev.warmshelf.outside.Survivors;
import dev.warmshelf.postgres.Postgres;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Prospect;
import dev.warmshelf.shelf.ReadScope;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.Recorder;
import dev.warmshelf.shelf.read.Scope;
import dev.warmshelf.shelf.read.Upkeep;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.verdict.Verdicts;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.Executor;
import java.util.concurrent.locks.LockSupport;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Keeps the answers of read queries over one database, and keeps them true.
 *
 * <pre>{@code
 * try (WarmShelf warm = WarmShelf.over(dataSource).following(JournalFeed.on(dataSource)).open()) {
 *   ShelvedQuery<Port> ports = warm.query("SELECT id, name FROM port WHERE island = :island")
 *       .as(Port.class);
 *   Reading<List<Port>> reading = ports.with("island", "Norra").list();
 * }
 * }</pre>
 *
 * <p>Thread-safe. One is enough for a program. {@link #close()} ends its threads; readings stay
 * valid.
 */
public final class WarmShelf implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(WarmShelf.class);

  /** The shelf that a query is kept on unless it says otherwise. */
  public static final String MAIN_SHELF = Library.MAIN_SHELF;

  /** Those that are open, the newest last. */
  private static final List<WarmShelf> OPEN = new CopyOnWriteArrayList<>();

  private static final long LOOKING_AGAIN_NANOS = 200_000;

  /** The library's own, for statements that no rule keeps and a computation reads. */
  private static final String OBSERVED_SHELF = "observed";

  private final DataSource dataSource;
  private final Sessions sessions;
  private final String namespace;
  private final Capacity room;
  private final Board board;
  private final TimeSource time;
  private final @Nullable Feed feed;
  private final @Nullable Delivery delivery;
  private final OwnWrites ownWrites;
  private final Upkeep upkeep;
  private final NamedShelves shelves;
  private final Engine engine;
  private final Rosters rosters;
  private final AnswerShelf observed;
  private final List<Rule> rules;
  private @Nullable ShelvedDataSource wrapped;
  private volatile @Nullable JmxBeans views;
  private final Verdicts verdicts;
  private final Clearings clearings;
  private final @Nullable Survivors survivors;
  private final @Nullable SharedAnswers shared;
  private final Joining joining = new Joining(new Joined());
  private volatile boolean closed;

  private WarmShelf(Builder builder, TimeSource time, Board board) {
    this.dataSource = builder.dataSource;
    this.sessions = new Sessions(new Postgres(), dataSource, builder.naming);
    this.namespace = builder.namespace;
    this.room = builder.room;
    this.time = time;
    this.board = board;
    this.feed = builder.feed;
    this.delivery = feed == null ? null : new Delivery(board, time, feed.meters(), this::clear);
    this.ownWrites = new OwnWrites(board, time, feed, delivery, this::keepsNothing);
    this.verdicts = new Verdicts(sessions, board, feed, builder.precision.of(feed));
    Ground.Trust trust = feed == null ? Ground.Trust.TTL_ALONE : Ground.Trust.FEED;
    this.upkeep = builder.upkeep.get();
    Ground ground = new Ground(board, time, trust, Ground.room(room, time), upkeep);
    Map<String, AnswerShelf> made = new TreeMap<>();
    builder.policies.forEach(
        (name, policy) -> made.put(name, new AnswerShelf(name, policy, ground)));
    this.shelves = new NamedShelves(Map.copyOf(made));
    this.observed = new AnswerShelf(OBSERVED_SHELF, observedPolicy(), ground);
    this.clearings =
        new Clearings(sessions, board, time, ownWrites, verdicts, shelves, this::forgetSurvivors);
    this.survivors =
        builder.warmStart == null || feed == null
            ? null
            : new Survivors(builder.warmStart, feed, board, time, shelves.shelves(), verdicts);
    this.shared =
        builder.sharing == null || feed == null
            ? null
            : new SharedAnswers(builder.sharing, clearings::hasClearedTableOf, feed, board, time);
    this.engine =
        new Engine(
            new Engine.Ground(dataSource, namespace, board, time, feed),
            new Engine.Knowledge(sessions, ownWrites, verdicts),
            new Engine.Shelves(shelves, Map.copyOf(builder.recipes), observed),
            new Engine.Elsewhere(survivors, shared),
            joining::isDone);
    this.rosters = new Rosters(engine, new AnswerShelf(Rosters.SHELF, Rosters.policy(), ground));
    engine.complete(rosters, rosters.shelf());
    this.rules = List.copyOf(builder.rules);
  }

  /**
   * Begins to configure.
   *
   * @param dataSource where reads go; best a pool. Its connections should all lead to the same
   *     database, as the same role, with the same settings; where they do not, see {@link
   *     Builder#sessionsNamed}
   */
  public static Builder over(DataSource dataSource) {
    return new Builder(Objects.requireNonNull(dataSource, "dataSource"));
  }

  /**
   * The one that is open in this program under a namespace, for who has not opened it himself: a
   * program whose data source or URL is configured to have shelves. If several are, the one that
   * was opened last.
   *
   * @param namespace as {@link Builder#namespace} or the configuration has it; may be empty
   */
  public static Optional<WarmShelf> named(String namespace) {
    WarmShelf found = null;
    for (WarmShelf each : OPEN) {
      found = each.namespace.equals(namespace) ? each : found;
    }
    return Optional.ofNullable(found);
  }

  /**
   * Begins a query.
   *
   * @param sql a read, with parameters as {@code :name} or {@code ?}. Sent to the database as it is
   * @throws dev.warmshelf.statement.text.SqlTextException if the text is not even a sequence of SQL
   *     tokens
   */
  public QueryDraft query(String sql) {
    return new QueryDraft(engine, engine.statement(sql));
  }

  /**
   * A shelf by name.
   *
   * @throws IllegalArgumentException if there is none
   */
  public Shelf shelf(String name) {
    return shelves.get(name);
  }

  /** The version of the database's driver. */
  String driver() {
    return engine.database().driver();
  }

  private boolean keepsNothing() {
    return engine.keepsNothing();
  }

  /** All shelves, and the library's own if one of them has a use for it. */
  private Collection<Shelf> shownShelves() {
    List<Shelf> all = new ArrayList<>(shelves.shelves());
    if (feed != null && all.stream().anyMatch(s -> s.policy().renewal().mendsFrom().isPresent())) {
      all.add(rosters.shelf());
    }
    return all;
  }

  /** All shelves. */
  public Collection<Shelf> shelves() {
    return Collections.unmodifiableCollection(shelves.shelves());
  }

  /**
   * Waits until nothing is under way in the background for what has been asked: no answer is being
   * renewed or audited, and no statement looked at.
   *
   * @return whether that came; not if the thread was interrupted or the time was over
   */
  public boolean awaitBackground(Duration atMost) {
    long deadline = System.nanoTime() + atMost.toNanos();
    while (!upkeep.isIdle() || !verdicts.isIdle()) {
      if (deadline - System.nanoTime() < 0 || Thread.currentThread().isInterrupted()) {
        return false;
      }
      LockSupport.parkNanos(LOOKING_AGAIN_NANOS);
    }
    return true;
  }

  /** Up to when the feed has delivered everything; empty without a feed. */
  public Optional<Instant> freshAsOf() {
    return Optional.ofNullable(board.watermark()).map(mark -> time.wallAt(mark.nanos()));
  }

  /**
   * Says that tables, views or functions have changed their meaning: everything kept is
   * invalidated, and all statements are looked at again. A program that follows the journal need
   * not: it notices by itself, at once where a superuser installed the journal, else within half a
   * second.
   */
  public void schemaChanged() {
    board.noteClearing(time.nanos());
    verdicts.forget();
    board.noteSchemaChange();
  }

  /**
   * Begins a write: a statement that changes data. Once it has returned, no reading of this process
   * misses it.
   *
   * @param sql with parameters as {@code :name} or {@code ?}; may have a {@code RETURNING} clause
   */
  public Write write(String sql) {
    return new Write(engine, engine.statement(sql), null);
  }

  /**
   * Runs a piece of work in one transaction, and commits it if it returns. Once this has returned,
   * no reading of this process misses what it wrote.
   *
   * @throws SQLException what the work threw, after a rollback; or what the commit threw, in which
   *     case it may or may not have happened, and counts as if it had
   */
  public <V extends @Nullable Object> V inTransaction(Transaction.Work<V> work)
      throws SQLException {
    return Transaction.run(engine, work);
  }

  /** Callers share what is being loaded; nothing fits, so that nothing of it is kept. */
  private static Policy observedPolicy() {
    Policy usual = Policy.standard().holding(Capacity.bytes(1));
    return usual.expiring(usual.expiry().andWithProcess());
  }

  /**
   * A function of the program's own, on the main shelf, whose results are kept until something
   * changes that it has read.
   *
   * @param name what keys, logs and tools call it: the same name is the same function
   */
  public <V extends @Nullable Object> Computation<V> computation(String name) {
    return new Computation<>(engine, shelves.get(MAIN_SHELF), name);
  }

  /**
   * An executor whose tasks take part in the computation that the thread which hands them over runs
   * just then, and in the {@link #readScope} that it is in: what they read is noted, too. Who hands
   * them over must wait for them.
   */
  public static Executor handing(Executor executor) {
    return Observation.handing(executor);
  }

  /**
   * Begins a piece of work on this thread in which the same question gives the same answer; it ends
   * when what is returned is closed.
   */
  public ReadScope readScope() {
    return Scope.begin();
  }

  /**
   * Does a piece of work whose readings are to be true at one moment, all together: as if they had
   * been one snapshot, though most of them are kept answers. Once it is done, the feed looks
   * whether something has changed that one of them depends on; if so, it is done once more.
   *
   * <p>On a TTL alone, and where something was read past the shelves, nobody knows.
   *
   * @param times how often it is done at most, at least once
   * @return what it gave the last time, and the moment, if there is one
   * @throws X what the work threw
   */
  public <V extends @Nullable Object, X extends Exception> Moment<V> atOneMoment(
      int times, Loader<V, X> work) throws X {
    for (int done = 1; ; done++) {
      try (Scope scope = Scope.begin()) {
        V value = work.load();
        Optional<Instant> at = ownWrites.learned() ? freshAsOf() : Optional.empty();
        if (at.isPresent() && scope.holdsAtOneMoment()) {
          return new Moment<>(value, at);
        } else if (done >= times) {
          return new Moment<>(value, Optional.empty());
        }
      }
    }
  }

  /**
   * Handles for readings, empty yet.
   *
   * @param life how long a handle is good
   * @param mostBytes how much all of them may hold, about
   * @throws IllegalArgumentException if one of them is not more than nothing
   */
  public <V extends @Nullable Object> Handles<V> handles(Duration life, long mostBytes) {
    return new Handles<>(time, life, mostBytes);
  }

  /**
   * Runs an action once what this thread has written so far on connections of {@link
   * #dataSource()}, or in {@link #inTransaction}, has been committed: at once if it has no such
   * transaction open, and never if that is rolled back. By then no reading of this process misses
   * what was written.
   *
   * @param action run by whoever commits, before he goes on; it should throw nothing
   */
  public void afterCommit(Runnable action) {
    engine.transactions().afterCommit(action);
  }

  /** Values that are no query's, kept on the main shelf under names of the engineer's own. */
  public <V> ShelvedValues<V> values(String name, Class<V> type) {
    return new ShelvedValues<>(engine, shelves.get(MAIN_SHELF), name, type);
  }

  /** Invalidates all answers with this tag, in this process, in constant time. */
  public void clearTag(String tag) {
    clearings.tick(List.of(Lane.ofTag(tag)));
  }

  /**
   * Invalidates all answers that were read from this table, or from a part of it, in this process,
   * in constant time.
   *
   * @param schema as the catalogue spells it
   * @param table as the catalogue spells it; of a partitioned table the root
   */
  public void clearTable(String schema, String table) {
    Lane lane = Lane.ofTable(schema, table);
    clearings.tick(List.of(lane, lane.atLarge()));
  }

  /** Invalidates all answers that depend on this lane, in this process, in constant time. */
  public void clearLane(Lane lane) {
    clearings.tick(List.of(lane));
  }

  /** Invalidates all answers of all shelves, in this process, in constant time. */
  public void clearAll() {
    clearings.tickAll();
  }

  /**
   * The columns by which tables would have to be told apart for the queries made so far to depend
   * on no more than they must; what {@code shelf feed install} and {@code Journal.install} take,
   * table by table.
   *
   * @throws SQLException if the database could not be asked
   */
  public SortedMap<Lane, List<String>> proposedColumns() throws SQLException {
    List<Analysed> analysed = new ArrayList<>();
    for (SqlStatement query : engine.remembered()) {
      AnalysedText text = query.analysedText(query.unknownTypes());
      Verdicts.Known known = verdicts.known(query, text, sessions.first(), Over.Plain.ANY);
      if (known != null) {
        analysed.add(new Analysed(query, text, known.analysis()));
      }
    }
    return Analysed.proposal(analysed);
  }

  /** What the feed has counted and how it is; empty without a feed. */
  public Optional<FeedMeters.Snapshot> feedMeters() {
    return Optional.ofNullable(feed).map(followed -> followed.meters().snapshot());
  }

  /**
   * What the library has saved this program since it was opened, net of all that it cost those who
   * asked and those who committed: below zero, the program would be faster without it. What
   * triggers cost writers inside the database is not in it, nor what is done in the background.
   */
  public Duration timeSaved() {
    long saved = observed.meters().snapshot().timeSavedNanos();
    for (AnswerShelf shelf : shelves.shelves()) {
      saved += shelf.meters().snapshot().timeSavedNanos();
    }
    long commits = feed == null ? 0 : feed.meters().snapshot().commits().tookNanos();
    return Duration.ofNanos(saved - commits);
  }

  /**
   * What the library's own shelf has counted, which holds the rosters that tell which changes reach
   * an answer; its reads are in no other shelf's meters.
   */
  public Meters.Snapshot rosterMeters() {
    return rosters.shelf().meters().snapshot();
  }

  /**
   * Has every question to any shelf told to this recorder from now on, in place of any before; null
   * for none. Of what a program asks through {@link #dataSource()}, also each statement is told
   * that only reads, as far as that is known, and is answered by the database: on a shelf without a
   * name, if no rule keeps its answers.
   */
  @SuppressWarnings("exports") // a program has a ShelfRecording
  public void recordTo(@Nullable Recorder recorder) {
    shelves.shelves().forEach(shelf -> shelf.recordTo(recorder));
    engine.around().to(recorder);
    if (feed != null) {
      feed.tellChanges(recorder == null ? null : engine.around()::changed);
    }
  }

  /** The library's version. */
  public static String version() {
    return Library.version();
  }

  /** How it is now. Costs no word to the database. */
  public Health health() {
    Map<String, String> gives = new TreeMap<>();
    shelves.all().forEach((name, shelf) -> gives.put(name, shelf.gives()));
    Watermark mark = board.watermark();
    Exception notJoined = joining.trouble();
    if (closed) {
      return new Health(
          Health.State.CLOSED, Optional.empty(), Optional.empty(), "it has been closed", gives);
    } else if (notJoined != null) {
      shelves
          .all()
          .keySet()
          .forEach(name -> gives.put(name, "the database's answers, until it joins"));
      String why = String.valueOf(notJoined.getMessage());
      return new Health(Health.State.WAITING, Optional.empty(), Optional.empty(), why, gives);
    } else if (feed == null) {
      Health alone =
          new Health(Health.State.ON_TTL_ALONE, Optional.empty(), Optional.empty(), "", gives);
      return failing(Optional.empty(), gives).orElse(alone);
    }
    Optional<Duration> lag =
        Optional.ofNullable(mark)
            .map(last -> Duration.ofNanos(Math.max(0, time.nanos() - last.nanos())));
    FeedMeters.Snapshot meters = feed.meters().snapshot();
    String trouble = meters.trouble().orElse("");
    if (meters.state() == FeedMeters.State.LOST) {
      Optional<Instant> since = Optional.ofNullable(mark).map(last -> time.wallAt(last.nanos()));
      return new Health(Health.State.LOST, lag, since, trouble, gives);
    }
    return failing(lag, gives).orElseGet(() -> judged(lag, gives));
  }

  private Optional<Health> failing(Optional<Duration> lag, Map<String, String> gives) {
    return Optional.ofNullable(engine.doorFailure())
        .map(
            why ->
                (why instanceof LinkageError
                        ? "wrapped data sources do not fit what they run with, so the database"
                            + " answers: "
                        : "a wrapped data source has failed, and the database answered: ")
                    + why)
        .map(why -> new Health(Health.State.FAILING, lag, Optional.empty(), why, gives));
  }

  /** How it is while changes arrive. */
  private Health judged(Optional<Duration> lag, Map<String, String> gives) {
    String wrong = foundWrong();
    if (!wrong.isEmpty()) {
      return new Health(Health.State.FOUND_WRONG, lag, Optional.empty(), wrong, gives);
    }
    List<String> late =
        shelves.shelves().stream()
            .filter(AnswerShelf::isFeedLost)
            .map(AnswerShelf::name)
            .sorted()
            .toList();
    return late.isEmpty()
        ? new Health(Health.State.LIVE, lag, Optional.empty(), "", gives)
        : new Health(
            Health.State.LAGGING,
            lag,
            Optional.empty(),
            "changes come later than these shelves tolerate: " + late,
            gives);
  }

  /** What audits have found wrong that nobody has cleared yet, in words; empty for nothing. */
  private String foundWrong() {
    List<String> found = new ArrayList<>();
    shelves.shelves().stream()
        .sorted(Comparator.comparing(AnswerShelf::name))
        .forEach(
            shelf ->
                shelf.accused().stream()
                    .sorted()
                    .forEach(form -> found.add("form " + form + " on shelf " + shelf.name())));
    return found.isEmpty()
        ? ""
        : "an audit has found a kept answer wrong, and the database answers its questions until it"
            + " is cleared; the log has more: "
            + String.join(", ", found);
  }

  /**
   * Clears kept answers in this process, and what is being loaded with them. Logs who asked.
   *
   * @return about how many answers are gone: others come and go meanwhile
   */
  public long clear(Clearing what) {
    return clearings.clear(what);
  }

  /**
   * Has all processes clear that follow this journal, and waits, half a second at most, until this
   * one has. Needs the right to run {@code warm_shelf.clear(text, text)}.
   *
   * @throws IllegalArgumentException if it names a shelf that there is not
   * @throws IllegalStateException if no feed is followed
   * @throws SQLException if the journal cannot be written
   */
  public void clearEverywhere(Clearing what) throws SQLException {
    clearings.clearEverywhere(what);
  }

  /** Stops following the feed. From now on the database answers each question. */
  @Override
  public void close() {
    OPEN.remove(this);
    joining.end();
    if (survivors != null) {
      survivors.close();
    }
    if (shared != null) {
      shared.close();
    }
    closed = true;
    JmxBeans shown = views;
    if (shown != null) {
      shown.close();
    }
    upkeep.close();
    shelves.shelves().forEach(AnswerShelf::close);
    rosters.shelf().close();
    observed.close();
    verdicts.close();
    if (feed != null) {
      feed.close();
    }
    end(time);
  }

  private static void end(TimeSource time) {
    if (time instanceof SystemTime threaded) {
      threaded.close();
    }
  }

  /**
   * The data source again, for a program that is not to be changed: its statements are answered
   * from the shelves where a rule says so ({@link Builder#keeping}), and all else goes to the
   * database as it is. A connection is taken only when the database must be asked. Once a commit on
   * one of its connections has returned, no reading of this process misses it.
   *
   * <p>To be closed, after its last use, together with this.
   *
   * @return always the same
   * @throws SQLException if the data source cannot be asked, or gives connections of another driver
   *     than PostgreSQL's; while the shelves wait to join ({@link Builder#joiningLater}), {@link
   *     DataSource#getConnection} throws it instead
   */
  public DataSource dataSource() throws SQLException {
    ShelvedDataSource made = shelvedSource();
    if (joining.isDone()) {
      made.shelves();
    }
    return made;
  }

  /**
   * What would become of a statement that a program asked through {@link #dataSource()}: the rule
   * that decides, and whether answers may be kept at all. The database is asked about it, as if its
   * places decided their types.
   *
   * @param sql as it would be given to JDBC
   * @throws SQLException if the database cannot be asked
   */
  public Prospect prospect(String sql) throws SQLException {
    return ((DoorText) shelvedSource().shelves().facts(sql)).prospect();
  }

  private ShelvedDataSource shelvedSource() {
    synchronized (rules) {
      ShelvedDataSource known = wrapped;
      if (known == null) {
        known = Door.over(engine, dataSource, rules);
        wrapped = known;
      }
      return known;
    }
  }

  /**
   * What was asked, by queries and through {@link #dataSource()}, by name and normal form, the most
   * frequent first: what rules are written from. At most 1,000 are told apart.
   */
  public List<AskedStatement> statements() {
    return engine.asked().all(refusals());
  }

  /** How the store is that this process shares with others; empty if it shares none. */
  public Optional<SharedState> shared() {
    return Optional.ofNullable(shared).map(SharedAnswers::state);
  }

  /** How they come to follow their feed. */
  private final class Joined implements Joining.Steps {
    private @Nullable Session seen;
    private boolean isOpen;

    @Override
    public void connect() throws SQLException, FeedException {
      Session session = sessions.look();
      session.requirePrimary();
      seen = session;
      if (feed != null && delivery != null) {
        if (shared != null && !isOpen) {
          isOpen = true;
          shared.open(survivors != null && survivors.hasPlace());
        }
        feed.follow(delivery);
        SecondConnection.require(dataSource, feed);
      }
    }

    @Override
    public void begin(boolean late) {
      if (late) {
        verdicts.forget();
        board.tickEverything();
      }
      if (survivors != null) {
        survivors.begin();
      }
      if (shared != null) {
        shared.begin();
      }
      StartLog.tell(
          engine.database().driver(),
          Objects.requireNonNull(seen, "connected"),
          feed,
          namespace,
          shelves.shelves(),
          room,
          shared != null,
          rules);
    }

    @Override
    public void undo() {
      if (feed != null) {
        feed.close();
      }
    }
  }

  void forgetSurvivors() {
    if (survivors != null) {
      survivors.forget();
    }
  }

  /**
   * How many reads the database had to answer since their statement is refused: by its normal form,
   * and by the reason in words. At most 1,000 statements are told apart.
   */
  public Map<String, Map<String, Long>> refusals() {
    return verdicts.refusals().all();
  }

  /** What its parts stand on. */
  Engine engine() {
    return engine;
  }

  /** What it shows of itself. */
  private Program program(String named) {
    return new Program(named, shownShelves(), feed, board, time, new ProgramDesk(this));
  }

  /** Configures a {@link WarmShelf}. Not thread-safe. */
  public static final class Builder {
    private final DataSource dataSource;
    private final Map<String, Policy> policies = new LinkedHashMap<>();
    private final Map<String, Recipe> recipes = new LinkedHashMap<>();
    private String namespace = "";
    private @Nullable Feed feed;
    private boolean onTtlAlone;
    private boolean joinsLater;
    private Precision precision = Precision.ANSWERS;
    private Capacity room = Capacity.shared();
    private @Nullable WarmStart warmStart;
    private @Nullable Sharing sharing;
    private Supplier<Upkeep> upkeep = () -> Upkeep.start(2);
    private @Nullable TimeSource clock;
    private @Nullable Supplier<String> naming;
    private final List<Rule> rules = new ArrayList<>();

    private Builder(DataSource dataSource) {
      this.dataSource = dataSource;
      policies.put(MAIN_SHELF, Policy.standard());
    }

    /** The feed that tells about changes. This is closed together with the {@link WarmShelf}. */
    public Builder following(Feed changes) {
      this.feed = Objects.requireNonNull(changes, "changes");
      return this;
    }

    /** Follows no feed: answers may be as stale as their TTL is long. */
    public Builder onTtlAlone() {
      this.onTtlAlone = true;
      return this;
    }

    /**
     * Opens though the database cannot be reached, or the feed cannot start: no journal is there
     * yet, or one of another version, or this role may not read it. Then the database answers each
     * question, {@link Health} says why, and the shelves join by themselves once that is possible;
     * what an earlier process has left for a warm start is forgotten then. By default {@link #open}
     * throws.
     */
    public Builder joiningLater() {
      this.joinsLater = true;
      return this;
    }

    /**
     * How finely changes are told apart; by default as finely as possible. Coarser is never wrong,
     * and tells by comparison what the finer gains.
     */
    public Builder tracking(Precision by) {
      this.precision = Objects.requireNonNull(by, "by");
      return this;
    }

    /**
     * Says what a question's session is called, for a data source that hands out sessions of
     * several kinds: connections that set a role, a tenant or a search path when they are borrowed.
     * The name becomes part of the key, and each load is checked to be in a session like the first
     * one of that name. Within a name sessions must be alike.
     *
     * @param naming asked each time a question is, on the caller's thread; gives what the data
     *     source would decide by, such as the tenant's name
     */
    public Builder sessionsNamed(Supplier<String> naming) {
      this.naming = Objects.requireNonNull(naming, "naming");
      return this;
    }

    /**
     * Whose entries these are: application, environment, and the shape of its data. Empty by
     * default.
     */
    public Builder namespace(String name) {
      this.namespace = Objects.requireNonNull(name, "name");
      return this;
    }

    /**
     * How much all shelves may hold together that have no room of their own; by default {@link
     * Capacity#shared()}, a quarter of the heap.
     */
    public Builder room(Capacity all) {
      this.room = Objects.requireNonNull(all, "all");
      return this;
    }

    /**
     * How many answers may be renewed in the background at a time; by default 2. Each takes a
     * connection while it asks.
     *
     * @throws IllegalArgumentException if it is less than 1
     */
    public Builder renewingWith(int threads) {
      if (threads < 1) {
        throw new IllegalArgumentException("Answers are renewed by 1 thread at least.");
      }
      this.upkeep = () -> Upkeep.start(threads);
      return this;
    }

    /**
     * Has what is due in the background done by this, in place of threads of its own; it is closed
     * together with the {@link WarmShelf}. For tests, which then say when.
     */
    @SuppressWarnings("exports") // for the library's own tests, and its kit
    public Builder renewingBy(Upkeep workers) {
      this.upkeep = () -> Objects.requireNonNull(workers, "workers");
      return this;
    }

    /**
     * Where time comes from; by default the system's clocks. For tests, whose clock must be another
     * at each look: a commit waits until the feed has looked at a later moment than its.
     */
    public Builder clock(TimeSource time) {
      this.clock = Objects.requireNonNull(time, "time");
      return this;
    }

    /**
     * Adds a shelf, or adjusts {@link WarmShelf#MAIN_SHELF}.
     *
     * @param adjust given {@link Policy#standard()}
     * @throws IllegalArgumentException if it is called {@code rosters} or {@code observed}, as the
     *     library's own are
     */
    public Builder shelf(String name, UnaryOperator<Policy> adjust) {
      if (name.equals(Rosters.SHELF) || name.equals(OBSERVED_SHELF)) {
        throw new IllegalArgumentException("The shelf '" + name + "' is the library's own.");
      }
      policies.put(name, adjust.apply(Policy.standard()));
      return this;
    }

    /**
     * Adds a shelf as {@link #shelf(String, UnaryOperator)} does, with a recipe for all its
     * queries.
     */
    public Builder shelf(String name, UnaryOperator<Policy> adjust, Recipe recipe) {
      recipes.put(name, Objects.requireNonNull(recipe, "recipe"));
      return shelf(name, adjust);
    }

    /**
     * Has answers outlive the process in a file, as far as the shelves' policies let them ({@link
     * dev.warmshelf.shelf.Expiry#andWithProcess}).
     */
    public Builder warmStart(WarmStart from) {
      warmStart = Objects.requireNonNull(from, "from");
      return this;
    }

    /** Has answers shared with other processes, through a store that all of them use. */
    public Builder sharing(Sharing with) {
      sharing = Objects.requireNonNull(with, "with");
      return this;
    }

    /**
     * Begins without what an earlier process has kept, and leaves nothing to a later one; and
     * {@link #open} throws where it cannot join now. For who opens the shelves to look at
     * something, beside the program.
     */
    public Builder coldStart() {
      joinsLater = false;
      warmStart = null;
      sharing = null;
      return this;
    }

    /**
     * Adds a rule for the statements that come through {@link WarmShelf#dataSource()}, after those
     * before it.
     */
    public Builder keeping(Rule rule) {
      rules.add(Objects.requireNonNull(rule, "rule"));
      return this;
    }

    /**
     * Connects, finds the feed's place, and starts; as soon as that is possible, if it is {@link
     * #joiningLater}.
     *
     * @throws IllegalArgumentException if a rule names a shelf that there is not
     * @throws IllegalStateException if neither or both of a feed and {@link #onTtlAlone()} are set
     * @throws SQLException if the database cannot be reached, is a replica, or has no connection
     *     for reads beside the feed's
     * @throws FeedException if the feed cannot start
     */
    public WarmShelf open() throws SQLException, FeedException {
      requireSoundness();
      rules.forEach(this::requireShelf);
      TimeSource time = clock == null ? SystemTime.start() : clock;
      WarmShelf warm;
      try {
        warm = new WarmShelf(this, time, new Board());
      } catch (RuntimeException e) {
        end(time);
        throw e;
      }
      try {
        join(warm);
        warm.views = new JmxBeans(warm.program(namespace));
        OPEN.add(warm);
        return warm;
      } catch (FeedException | SQLException | RuntimeException e) {
        warm.close();
        throw e;
      }
    }

    private void join(WarmShelf warm) throws SQLException, FeedException {
      try {
        warm.joining.now();
      } catch (SQLException | FeedException e) {
        if (!joinsLater) {
          throw e;
        }
        LOG.warn(
            "Not joined yet: {} Until then the database answers each read; the shelves join by"
                + " themselves once they can.",
            StartLog.sentence(e));
        warm.joining.later(e);
      }
    }

    private void requireSoundness() {
      if ((feed != null) == onTtlAlone) {
        throw new IllegalStateException(
            onTtlAlone
                ? "Both a feed and onTtlAlone() are set; keep one of them."
                : "Nothing says how answers stay true. Set following(feed), or onTtlAlone() to"
                    + " accept answers as stale as their TTL.");
      } else if (sharing != null && feed == null) {
        throw new IllegalStateException(
            "A shared store needs a feed: nothing else tells what of it is still true.");
      } else if (warmStart != null && feed == null) {
        throw new IllegalStateException(
            "A warm start needs a feed: nothing else tells what has changed meanwhile.");
      }
    }

    private void requireShelf(Rule rule) {
      String shelf = rule.shelf();
      if (shelf != null && !policies.containsKey(shelf)) {
        throw new IllegalArgumentException(
            "A rule keeps answers on the shelf '"
                + shelf
                + "', but there are "
                + new TreeMap<>(policies).keySet()
                + ". Add it with shelf(\""
                + shelf
                + "\", ...).");
      }
    }
  }
}
