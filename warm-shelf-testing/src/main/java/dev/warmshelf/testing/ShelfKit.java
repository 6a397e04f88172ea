package dev.warmshelf.testing;

import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.key.Key;
import dev.warmshelf.shelf.read.Upkeep;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.statement.SqlStatement;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Objects;
import java.util.Queue;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.function.UnaryOperator;
import java.util.stream.Collectors;
import javax.sql.DataSource;

/**
 * Shelves in memory over a test's database. Nothing happens by itself: the clock stands until
 * {@link #pass}, the feed tells of others' changes when {@link #feedLooks}, and what is due in the
 * background, such as a renewal, is done by {@link #settle}. Only a commit of the program's own has
 * the feed look, as ever.
 *
 * <pre>{@code
 * try (ShelfKit kit = ShelfKit.over(dataSource).installing("notice:port_id").open()) {
 *   NoticeBoard board = new NoticeBoard(kit.warm());
 *   board.of(12);
 *   board.of(12);
 *   kit.answersTo(NoticeBoard.NOTICES).with("port", 12).wereLoaded(1).wereHit(1).areKept();
 *   kit.statements().containing("FROM notice").wereSent(1);
 * }
 * }</pre>
 *
 * <p>The answers' truth is the library's as in production: a real feed, on real triggers. Thread-
 * safe, but one test moves it.
 */
public final class ShelfKit implements AutoCloseable {
  private static final Duration PATIENCE = Duration.ofSeconds(20);
  private static final Duration A_MOMENT = Duration.ofMillis(20);
  private static final Duration NEVER_BY_ITSELF = Duration.ofDays(1);

  private final MovedClock clock;
  private final HeldFeed feed;
  private final CountedSource source;
  private final Queue<Runnable> due = new ConcurrentLinkedQueue<>();
  private final Upkeep upkeep = Upkeep.by(due::add);
  private final List<Asked> asked = new CopyOnWriteArrayList<>();
  private final WarmShelf warm;

  private ShelfKit(Plan plan) throws SQLException, FeedException {
    if (!plan.installed().isEmpty()) {
      Journal.on(plan.dataSource()).install(plan.installed());
    }
    this.clock = MovedClock.at(plan.beginning());
    this.source = CountedSource.over(plan.dataSource(), () -> clock.pass(plan.statementTakes()));
    this.feed = new HeldFeed(JournalFeed.on(plan.dataSource()).polling(NEVER_BY_ITSELF));
    this.warm =
        plan.adjust()
            .apply(WarmShelf.over(source))
            .coldStart()
            .following(feed)
            .clock(clock)
            .renewingBy(upkeep)
            .open();
    warm.recordTo(
        (shelf, key, words, origin, took, answer, footprint) ->
            asked.add(new Asked(shelf, key, words, origin, isHeld(shelf, key))));
    source.forget();
  }

  /**
   * Begins to say what is tested.
   *
   * @param dataSource leads to the test's database, in which the journal is installed, or {@link
   *     Plan#installing} says on which tables to install it
   */
  public static Plan over(DataSource dataSource) {
    Objects.requireNonNull(dataSource, "dataSource");
    return new Plan(dataSource, List.of(), Instant.now(), Duration.ZERO, UnaryOperator.identity());
  }

  /**
   * What is tested. Immutable; each method returns a copy.
   *
   * @param installed tables to install the journal on, as {@link Journal#install} takes them; empty
   *     if it is installed
   * @param beginning what the clock shows at first
   * @param statementTakes how long each statement takes, by the kit's clock
   * @param adjust is given the shelves' builder
   */
  public record Plan(
      DataSource dataSource,
      List<String> installed,
      Instant beginning,
      Duration statementTakes,
      UnaryOperator<WarmShelf.Builder> adjust) {

    /** Installs the journal first, on these tables, such as {@code notice:port_id}. */
    public Plan installing(String... tables) {
      return new Plan(dataSource, List.of(tables), beginning, statementTakes, adjust);
    }

    /** The clock shows this moment at first; by default the system's, when this was begun. */
    public Plan beginningAt(Instant moment) {
      return new Plan(dataSource, installed, moment, statementTakes, adjust);
    }

    /**
     * Has each statement that is sent take so long by the kit's clock; by default none takes any
     * time, so that nothing is dear enough to be mended, renewed ahead, or kept before others. Time
     * passes for the feed, too: {@link #feedLooks} before it seems lost.
     *
     * @throws IllegalArgumentException if time were to go back
     */
    public Plan statementsTaking(Duration time) {
      if (time.isNegative()) {
        throw new IllegalArgumentException("No statement takes " + time + ".");
      }
      return new Plan(dataSource, installed, beginning, time, adjust);
    }

    /**
     * With shelves, rules and recipes of the program's; those of its file by {@code
     * adjusted(Configuration.find()::onto)}. Its feed, clock, store and warm start are replaced by
     * the kit's.
     */
    public Plan adjusted(UnaryOperator<WarmShelf.Builder> by) {
      return new Plan(dataSource, installed, beginning, statementTakes, by);
    }

    /**
     * Opens the shelves, empty.
     *
     * @throws SQLException if the database cannot be reached
     * @throws FeedException if the journal is not installed there
     */
    public ShelfKit open() throws SQLException, FeedException {
      return new ShelfKit(this);
    }
  }

  private boolean isHeld(String shelf, Key key) {
    return !shelf.isEmpty() && warm.shelf(shelf).entry(key.digest()).isPresent();
  }

  /** What the program under test is given. */
  public WarmShelf warm() {
    return warm;
  }

  /**
   * What a program that knows JDBC alone is given.
   *
   * @throws SQLException if the database cannot be reached
   */
  public DataSource dataSource() throws SQLException {
    return warm.dataSource();
  }

  /** What the clock shows. */
  public Instant now() {
    return clock.wall();
  }

  /**
   * Lets time pass. The feed looks, unless it is held back, and what is due is done.
   *
   * @throws IllegalArgumentException if time were to go back
   */
  public void pass(Duration time) {
    clock.pass(time);
    settle();
  }

  /**
   * Has the feed tell of all that had committed.
   *
   * @throws IllegalStateException if it is held back, or cannot reach the database
   */
  public void feedLooks() {
    feed.look();
  }

  /** The feed looks no more, whoever asks for it, as if its connection hung. */
  public void holdFeed() {
    feed.hold(true);
  }

  /** The feed looks, and will again. */
  public void letFeedGoOn() {
    feed.hold(false);
    feed.look();
  }

  /**
   * Has done what is due in the background: renewals, statements that were met inside the caller's
   * connection, audits, what has expired. The feed looks meanwhile, unless it is held back.
   *
   * @throws IllegalStateException if it takes too long
   */
  public void settle() {
    long deadline = System.nanoTime() + PATIENCE.toNanos();
    boolean settled;
    do {
      if (!feed.isHeld()) {
        feed.look();
      }
      upkeep.round();
      doDue();
      settled = warm.awaitBackground(A_MOMENT) && due.isEmpty();
      if (!settled && System.nanoTime() - deadline > 0) {
        throw new IllegalStateException(
            "Something is under way in the background for longer than "
                + PATIENCE.toSeconds()
                + " s.");
      }
    } while (!settled);
  }

  private void doDue() {
    Runnable next = due.poll();
    while (next != null) {
      next.run();
      next = due.poll();
    }
  }

  /** All answers that were asked for. */
  public Answers answers() {
    return new Answers(this, "", each -> true);
  }

  /**
   * The answers to a statement.
   *
   * @param sql in any way of writing it: what has the same normal form is the same
   */
  public Answers answersTo(String sql) {
    String form = SqlStatement.of(sql).normalForm();
    return new Answers(this, " to " + Words.cut(sql, 90), each -> each.isOfForm(form));
  }

  /** The answers to a query. */
  public Answers answersTo(ShelvedQuery<?> query) {
    return answersTo(query.text());
  }

  /**
   * The answer to one question.
   *
   * @throws SQLException if the database is asked about its statement, and cannot answer
   */
  public Answers answersTo(Question<?> question) throws SQLException {
    String digest = question.digest();
    return new Answers(this, " to " + digest, each -> each.key().digest().equals(digest));
  }

  /** The results of a computation of this name. */
  public Answers resultsOf(String computation) {
    return new Answers(
        this, " of '" + computation + "'", each -> each.isOfComputation(computation));
  }

  /** The results of a repository's methods of this name. */
  public Answers resultsOf(Class<?> repository, String method) {
    return resultsOf(repository.getName() + "." + method);
  }

  /** The statements that were sent to the database. */
  public SentStatements statements() {
    return source.statements();
  }

  /** Forgets what was asked and sent until now; what is kept stays. */
  public void forget() {
    asked.clear();
    source.forget();
  }

  List<Asked> asked() {
    return asked;
  }

  /** All that was asked, a line each, in the order in which it was answered. */
  public String history() {
    return asked.stream().map(Asked::inWords).collect(Collectors.joining("\n"));
  }

  @Override
  public void close() {
    warm.close();
  }
}
