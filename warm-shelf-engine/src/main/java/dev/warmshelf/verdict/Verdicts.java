package dev.warmshelf.verdict;

import dev.warmshelf.base.Generations;
import dev.warmshelf.base.Library;
import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.caller.Over;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.database.Database;
import dev.warmshelf.database.Examined;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.ValuePlan.Place;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.read.Upkeep;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.spi.feed.FollowedSchema;
import dev.warmshelf.spi.feed.Watched;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.Refusal.Reason;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.TrackedColumns;
import dev.warmshelf.statement.Verdict;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutionException;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.ThreadPoolExecutor;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The verdicts on a program's statements. What the database says of a statement is asked once for
 * each normal form, types of values and kind of session, and holds until the schema changes where
 * the statement depends on it; so a query made anew for each call, or with other constants in its
 * text, costs what a kept one does. All that is remembered is bounded in bytes.
 *
 * <p>Whoever holds no connection waits for another's asking. Whoever holds one does not: the other
 * may be waiting for a connection.
 *
 * <p>Thread-safe.
 */
public final class Verdicts implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);
  private static final long MOST_BYTES = 8L << 20;
  private static final long JUDGED_BYTES = 1_000;
  private static final long KNOWN_BYTES = 4_000;

  /** How often a statement is asked about again since the schema changed meanwhile. */
  private static final int MOST_ASKINGS = 3;

  private static final int MOST_WAITING = 1_000;

  /** Stands between what is written of the schema's objects; none is called so. */
  private static final String SESSION = "the session";

  private static final long IDLE_SECONDS = 10;

  private final DataSource dataSource;
  private final Sessions sessions;
  private final Board board;
  private final @Nullable Feed feed;
  private final TrackedColumns apart;
  private final Database database;
  private final Generations<Asked, Judged> judged =
      new Generations<>(MOST_BYTES, (asked, verdict) -> asked.statement.bytes() + JUDGED_BYTES);
  private final Generations<Form, Known> known =
      new Generations<>(MOST_BYTES, (form, what) -> 4L * form.text.sql().length() + KNOWN_BYTES);
  private final ConcurrentHashMap<Form, CompletableFuture<Found>> running =
      new ConcurrentHashMap<>();
  private final Refusals refusals = new Refusals();
  private final AtomicLong numbers = new AtomicLong();

  /** Asks for those who cannot wait. */
  private final ThreadPoolExecutor aside;

  /** How many statements it is asked for just now. */
  private final AtomicInteger underWay = new AtomicInteger();

  /**
   * What a verdict is on. The statement is one of the program's texts, remembered as one object.
   */
  private record Asked(
      SqlStatement statement, List<String> types, List<String> declared, String ambient) {}

  /** What the database is asked about. */
  private record Form(AnalysedText text, String ambient) {}

  private record Found(@Nullable Known known) {}

  /** What the database has said of a form, as long as the schema is what it was. */
  public static final class Known implements Watched {
    private final Analysis analysis;
    private final Map<String, String> prints;
    private final Lane lane;
    private final String ambient;
    private volatile boolean outdated;

    /**
     * @param ambient what sessions are like in which it means that
     */
    Known(Examined examined, Lane lane, String ambient) {
      this.analysis = examined.analysis();
      this.ambient = ambient;
      Map<String, String> found = new HashMap<>();
      examined.prints().forEach((object, print) -> found.put(object.written(), print));
      this.prints = Map.copyOf(found);
      this.lane = lane;
    }

    public Analysis analysis() {
      return analysis;
    }

    /** Whether the schema has changed where it stands on it. */
    public boolean isOutdated() {
      return outdated;
    }

    @Override
    public Map<String, String> prints() {
      return prints;
    }

    @Override
    public void mayMeanAnother() {
      outdated = true;
    }

    @Override
    public Lane lane() {
      return lane;
    }
  }

  /**
   * A verdict.
   *
   * @param version of how changes are told apart, for which it holds
   * @param standsOn what it was made of
   */
  public record Judged(long version, List<Known> standsOn, Verdict verdict, Analysed analysed) {
    public boolean holdsFor(long now) {
      if (version != now) {
        return false;
      }
      for (int i = 0; i < standsOn.size(); i++) {
        if (standsOn.get(i).outdated) {
          return false;
        }
      }
      return true;
    }

    /** Whether running the statement can do nothing but read. */
    public boolean onlyReads() {
      return analysed.analysis().onlyReads();
    }

    /** What it stands on in the schema, as {@link Verdicts#prints} has it. */
    public @Nullable Map<String, String> prints() {
      return Verdicts.prints(standsOn);
    }
  }

  public Verdicts(Sessions sessions, Board board, @Nullable Feed feed, TrackedColumns apart) {
    this.database = sessions.database();
    this.dataSource = sessions.source();
    this.sessions = sessions;
    this.board = board;
    this.feed = feed;
    this.apart = apart;
    this.aside =
        new ThreadPoolExecutor(
            1,
            1,
            IDLE_SECONDS,
            TimeUnit.SECONDS,
            new LinkedBlockingQueue<>(MOST_WAITING),
            task -> {
              Thread thread = new Thread(task, "warm-shelf-analysis");
              thread.setDaemon(true);
              return thread;
            },
            (task, pool) -> underWay.decrementAndGet()); // somebody will ask for it again
    aside.allowCoreThreadTimeOut(true);
  }

  /**
   * The verdict on a statement whose values have these types; null if it is not known yet and
   * cannot be asked for this way, or if the connection's session is not of this kind.
   *
   * @throws SQLException if the database could not be asked
   */
  public @Nullable Judged judged(
      SqlStatement statement,
      List<String> types,
      List<String> declared,
      Sessions.Kind kind,
      Over over)
      throws SQLException {
    Asked asked = new Asked(statement, types, declared, kind.ambient());
    long version = board.schemaVersion();
    Judged before = judged.get(asked);
    if (before != null && before.holdsFor(version)) {
      return before;
    }
    List<Known> all = new ArrayList<>();
    AnalysedText text = statement.analysedText(types);
    Known first = known(statement, text, kind, over);
    if (first == null) {
      return null;
    }
    all.add(first);
    for (String table : declared) {
      SqlStatement whole = SqlStatement.of("TABLE " + table);
      Known another = known(whole, whole.analysedText(List.of()), kind, over);
      if (another == null) {
        return null;
      }
      all.add(another);
    }
    Analysed analysed = new Analysed(statement, text, first.analysis());
    Judged now = new Judged(version, List.copyOf(all), judge(analysed, all), analysed);
    judged.put(asked, now);
    if (now.verdict() instanceof Verdict.Refused refused) {
      refusals.tell(statement, refused.refusal());
    }
    return now;
  }

  /**
   * What is known of a statement, remembered or asked for now; null as {@link #judged} says.
   *
   * @throws SQLException if the database could not be asked
   */
  public @Nullable Known known(
      SqlStatement statement, AnalysedText text, Sessions.Kind kind, Over over)
      throws SQLException {
    Form form = new Form(text, kind.ambient());
    Known before = known.get(form);
    if (before != null && !before.outdated) {
      return before;
    } else if (over instanceof Over.Held held) {
      return ask(held.connection(), statement, form, kind, false);
    } else if (over instanceof Over.Callers callers && database.isFree(callers.connection())) {
      return ask(callers.connection(), statement, form, kind, false);
    } else if (over.isNone()) {
      if (!running.containsKey(form)) {
        underWay.incrementAndGet();
        aside.execute(() -> askAside(statement, form, kind));
      }
      return null;
    }
    CompletableFuture<Found> mine = new CompletableFuture<>();
    CompletableFuture<Found> others = running.putIfAbsent(form, mine);
    return others != null ? await(others) : lead(statement, form, kind, mine);
  }

  /** Whether nothing is asked aside just now, and nothing waits for it. */
  public boolean isIdle() {
    return underWay.get() == 0;
  }

  private void askAside(SqlStatement statement, Form form, Sessions.Kind kind) {
    try {
      known(statement, form.text(), kind, Over.Plain.ANY);
    } catch (SQLException | RuntimeException e) {
      LOG.debug("The database could not be asked about {}", form.text().sql(), e);
    } finally {
      underWay.decrementAndGet();
    }
  }

  private @Nullable Known lead(
      SqlStatement statement, Form form, Sessions.Kind kind, CompletableFuture<Found> mine)
      throws SQLException {
    try (Borrowed borrowed = Borrowed.from(dataSource).autoCommit(true)) {
      Known found = ask(borrowed.connection(), statement, form, kind, true);
      mine.complete(new Found(found));
      return found;
    } catch (Throwable e) {
      mine.completeExceptionally(e);
      throw e;
    } finally {
      running.remove(form, mine);
    }
  }

  private static @Nullable Known await(CompletableFuture<Found> others) throws SQLException {
    try {
      return others.get().known();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new SQLException("Interrupted while the database was asked about a statement.", e);
    } catch (ExecutionException e) {
      Throwable cause = e.getCause();
      throw cause instanceof SQLException same
          ? new SQLException(same.getMessage(), same.getSQLState(), same)
          : new SQLException(cause);
    }
  }

  private @Nullable Known ask(
      Connection connection,
      SqlStatement statement,
      Form form,
      Sessions.Kind kind,
      boolean fromPool)
      throws SQLException {
    for (int i = 0; i < MOST_ASKINGS; i++) {
      long mark = feed == null ? FollowedSchema.NONE : feed.schemaMark();
      Examined examined = database.examine(connection, statement, form.text());
      boolean like =
          fromPool
              ? sessions.isLike(kind, examined.session())
              : examined.session().reads(kind.ambient());
      if (!like) {
        return null;
      }
      Lane meaning = Lane.ofMeaning("statement " + numbers.incrementAndGet());
      Known found = new Known(examined, meaning, kind.ambient());
      if (feed == null || mark == FollowedSchema.NONE || feed.watch(mark, found)) {
        known.put(form, found);
        if (feed != null && mark == FollowedSchema.NONE && feed.schemaMark() != mark) {
          found.mayMeanAnother(); // the feed follows by now, and does not watch it
        }
        return found;
      }
    }
    return null;
  }

  private Verdict judge(Analysed analysed, List<Known> all) {
    Refusal constant = ofConstants(analysed);
    if (constant != null) {
      return new Verdict.Refused(constant);
    }
    Collection<Lane> declared = new ArrayList<>();
    for (Known table : all.subList(1, all.size())) {
      Refusal refusal = table.analysis().refusal();
      if (refusal != null) {
        return new Verdict.Refused(refusal);
      }
      declared.addAll(table.analysis().columns().keySet());
    }
    Verdict verdict = analysed.verdict(declared, apart);
    if (feed == null || !(verdict instanceof Verdict.Keepable keepable)) {
      return verdict;
    }
    for (Lane lane : keepable.tables().lanes()) {
      if (!feed.covers(lane)) {
        return new Verdict.Refused(new Refusal(Reason.NOT_FOLLOWED, lane.name(), -1));
      }
    }
    return new Verdict.Keepable(
        keepable.lanes().and(all.stream().map(Known::lane).toList()),
        keepable.interest(),
        keepable.mending(),
        keepable.probe());
  }

  /** A constant that was lifted out of the text may be a word that means the moment. */
  private static @Nullable Refusal ofConstants(Analysed analysed) {
    if (analysed.analysis().textsMatter()) {
      for (Place place : analysed.statement().plan().places()) {
        for (Source source : place.sources()) {
          if (source instanceof Source.Constant constant && meansMoment(constant.value())) {
            String word = String.valueOf(constant.value());
            Reason reason = Reason.DEPENDS_ON_MOMENT_OR_SESSION;
            return new Refusal(reason, word, Refusal.lower(word), -1, List.of())
                .in(analysed.statement()::positionOf);
          }
        }
      }
    }
    return null;
  }

  /** Whether the database may take a value for the moment. */
  public static boolean meansMoment(@Nullable Object value) {
    return value instanceof String text
        ? AnalysedText.namesAMoment(text)
        : value instanceof List<?> list && list.stream().anyMatch(Verdicts::meansMoment);
  }

  /**
   * What all this stands on in the schema, what that is like, and the session; null if two differ
   * of one. What is equal in two processes means the same to both.
   */
  public static @Nullable Map<String, String> prints(Collection<Known> standsOn) {
    Map<String, String> all = new HashMap<>();
    for (Known known : standsOn) {
      String session = all.put(SESSION, known.ambient);
      if (session != null && !session.equals(known.ambient)) {
        return null;
      }
      for (Map.Entry<String, String> print : known.prints().entrySet()) {
        String other = all.put(print.getKey(), print.getValue());
        if (other != null && !other.equals(print.getValue())) {
          return null;
        }
      }
    }
    return all;
  }

  /** The tables that statements read of which something is known. */
  public Set<Lane> tables() {
    Set<Lane> tables = new HashSet<>();
    known.all().values().forEach(each -> tables.addAll(each.analysis().columns().keySet()));
    return tables;
  }

  /** What is known just now, by what its answers stand on. */
  public Map<Lane, Known> byLane() {
    Map<Lane, Known> all = new HashMap<>();
    known.all().values().forEach(each -> all.put(each.lane(), each));
    return all;
  }

  public Refusals refusals() {
    return refusals;
  }

  /** Everything may mean something else. */
  public void forget() {
    known.all().values().forEach(Known::mayMeanAnother);
  }

  @Override
  public void close() {
    Upkeep.end(aside);
  }
}
