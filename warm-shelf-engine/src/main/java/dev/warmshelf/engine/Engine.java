package dev.warmshelf.engine;

import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.base.Library;
import dev.warmshelf.caller.OpenTransactions;
import dev.warmshelf.caller.OwnWrites;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.caller.Waits;
import dev.warmshelf.database.Database;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.outside.SharedAnswers;
import dev.warmshelf.outside.SharedForm;
import dev.warmshelf.outside.Survivors;
import dev.warmshelf.plan.ProbePlan.Tied;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Others;
import dev.warmshelf.shelf.read.Telling;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.StatementMemory;
import dev.warmshelf.statement.Verdict;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.verdict.Verdicts;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What questions, writes and wrapped data sources of one program stand on together: its database,
 * its shelves, and what is known of its statements. {@code WarmShelf} puts it together, and is what
 * programs see.
 *
 * <p>Thread-safe.
 */
public final class Engine {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  private final DataSource dataSource;
  private final String namespace;
  private final Board board;
  private final TimeSource time;
  private final @Nullable Feed feed;
  private final Sessions sessions;
  private final OwnWrites ownWrites;
  private final Verdicts verdicts;
  private final NamedShelves shelves;
  private final Map<String, Recipe> recipes;
  private final AnswerShelf observed;
  private final @Nullable Survivors survivors;
  private final @Nullable SharedAnswers shared;
  private final BooleanSupplier joined;
  private final OpenTransactions transactions = new OpenTransactions();
  private final Waits waits = new Waits();
  private final AskedStatements asked = new AskedStatements();
  private final Telling around = new Telling("the statements that no shelf is asked");
  private final StatementMemory texts = new StatementMemory();
  private @Nullable Excluding excluding;
  private List<AnswerShelf> all = List.of();

  /** Why a wrapped data source has failed at last, or for good; null if none has. */
  private volatile @Nullable Throwable doorFailure;

  /** What its shelves are made of. */
  public record Ground(
      DataSource dataSource, String namespace, Board board, TimeSource time, @Nullable Feed feed) {}

  /** What it knows of statements and sessions, and of this program's writes. */
  public record Knowledge(Sessions sessions, OwnWrites ownWrites, Verdicts verdicts) {}

  /**
   * Its shelves.
   *
   * @param observed the library's own, for statements that no rule keeps and a computation reads
   */
  public record Shelves(NamedShelves all, Map<String, Recipe> recipes, AnswerShelf observed) {}

  /**
   * Answers that this process has not loaded.
   *
   * @param before those of an earlier one; null if there may be none
   * @param others those of others that share a store; null if there is none
   */
  public record Elsewhere(@Nullable Survivors before, @Nullable SharedAnswers others) {}

  /** Knows without asking the database which changes cannot reach an answer. */
  @FunctionalInterface
  public interface Excluding {
    /**
     * Whether no changed row is tied to one that counts.
     *
     * @param limit how long to wait for others who are finding out
     */
    boolean excludes(Tied tied, Duration limit);
  }

  /**
   * @param joined whether the shelves may answer; before, the database does
   */
  public Engine(
      Ground ground,
      Knowledge knowledge,
      Shelves shelves,
      Elsewhere elsewhere,
      BooleanSupplier joined) {
    this.dataSource = ground.dataSource();
    this.namespace = ground.namespace();
    this.board = ground.board();
    this.time = ground.time();
    this.feed = ground.feed();
    this.sessions = knowledge.sessions();
    this.ownWrites = knowledge.ownWrites();
    this.verdicts = knowledge.verdicts();
    this.shelves = shelves.all();
    this.recipes = shelves.recipes();
    this.observed = shelves.observed();
    this.survivors = elsewhere.before();
    this.shared = elsewhere.others();
    this.joined = joined;
  }

  /**
   * Gives it what stands on it itself; to be called once, before the first question.
   *
   * @param excludes by answers on this shelf
   */
  public void complete(Excluding excludes, AnswerShelf rosters) {
    this.excluding = excludes;
    List<AnswerShelf> every = new ArrayList<>(shelves.shelves());
    every.add(observed);
    every.add(rosters);
    this.all = List.copyOf(every);
  }

  /**
   * Whether no answer is kept, nor being loaded, nor elsewhere and good for this process: all that
   * a shelf gives from now on was asked of the database after this call.
   */
  public boolean keepsNothing() {
    return shared == null
        && (survivors == null || !survivors.mayPutBack())
        && all.stream().allMatch(AnswerShelf::holdsNothing);
  }

  /**
   * A shelf by name.
   *
   * @throws IllegalArgumentException if there is none
   */
  public AnswerShelf shelf(String name) {
    return shelves.get(name);
  }

  public Recipe recipeOf(String shelf) {
    return recipes.getOrDefault(shelf, Recipe.plain());
  }

  public AnswerShelf observedShelf() {
    return observed;
  }

  /** The data source beneath. */
  public DataSource source() {
    return dataSource;
  }

  /** By which the program's entries are told from others'; may be empty. */
  public String namespace() {
    return namespace;
  }

  public Database database() {
    return sessions.database();
  }

  public TimeSource time() {
    return time;
  }

  public Sessions sessions() {
    return sessions;
  }

  public OwnWrites ownWrites() {
    return ownWrites;
  }

  public Verdicts verdicts() {
    return verdicts;
  }

  public OpenTransactions transactions() {
    return transactions;
  }

  public Waits waits() {
    return waits;
  }

  public AskedStatements asked() {
    return asked;
  }

  /** Who is told of the statements that the database answers. */
  public Telling around() {
    return around;
  }

  public SqlStatement statement(String sql) {
    return texts.of(sql);
  }

  public void remember(SqlStatement query) {
    texts.isQuery(query);
  }

  /** Those that were remembered. */
  public Collection<SqlStatement> remembered() {
    return texts.queries();
  }

  /** The schema's version as far as is known; what was worked out for another is void. */
  long schemaVersion() {
    return board.schemaVersion();
  }

  /** Whether the shelves may answer; before, the database does. */
  public boolean isJoined() {
    return joined.getAsBoolean();
  }

  /** By which columns its changes are told apart. */
  List<String> trackedColumns(Lane table) {
    return feed == null ? List.of() : List.copyOf(feed.trackedColumns(table).keySet());
  }

  public boolean isFollowed(Lane table) {
    return feed == null || feed.covers(table);
  }

  /** Whether no changed row is tied to one that counts, as far as is known. */
  boolean excludes(Tied tied, Duration limit) {
    return excluding != null && excluding.excludes(tied, limit);
  }

  void admitSurvivors(KeyShape shape, AnswerShelf shelf, AnswerForm form, Verdicts.Judged judged) {
    if (survivors != null && judged.verdict() instanceof Verdict.Keepable) {
      survivors.admit(shape, shelf, form, judged);
    }
  }

  /** What other processes have of a statement's answers; null if they share none with this one. */
  @Nullable Others others(KeptStatement statement, Verdicts.Judged judged) {
    SharedAnswers all = shared;
    if (all == null) {
      return null;
    }
    SharedForm last = statement.sharedForm();
    SharedForm form =
        all.form(statement.shelf(), statement.keys().form(), statement.answerForm(), judged, last);
    if (form == null) {
      return null;
    } else if (form != last) { // else it could take the place of one made meanwhile
      statement.sharedForm(form);
    }
    return all.of(form);
  }

  /**
   * A wrapped data source could not read from a shelf, or not show what was read. What is logged
   * once is not logged for each read.
   */
  public synchronized void doorHasFailed(Throwable why) {
    boolean known = doorFailure != null;
    if (!doorsAreShut()) {
      doorFailure = why;
    }
    if (!known) {
      LOG.error("A wrapped data source has failed; the database is asked instead.", why);
    }
  }

  /** Whether nothing is read from shelves through wrapped data sources any more. */
  public boolean doorsAreShut() {
    return doorFailure instanceof LinkageError;
  }

  /** Why a wrapped data source has failed at last, or for good; null if none has. */
  public @Nullable Throwable doorFailure() {
    return doorFailure;
  }
}
