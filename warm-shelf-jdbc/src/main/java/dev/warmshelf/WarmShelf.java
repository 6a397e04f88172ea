package dev.warmshelf;

import dev.warmshelf.feed.Feed;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.SystemTime;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.key.Lane;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.postgres.PostgresCatalogue;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Recorder;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.sql.Analyst;
import dev.warmshelf.sql.Catalogue;
import dev.warmshelf.sql.CatalogueException;
import dev.warmshelf.sql.Refusal;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.StatementMemory;
import dev.warmshelf.sql.TellingApart;
import dev.warmshelf.sql.Verdict;
import dev.warmshelf.watch.Views;
import java.sql.SQLException;
import java.time.Instant;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.UnaryOperator;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

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
  /** The shelf that a query is kept on unless it says otherwise. */
  public static final String MAIN_SHELF = "main";

  private static final int TEXTS_REMEMBERED = 4_096;

  private final DataSource dataSource;
  private final String ambient;
  private final String namespace;
  private final Board board;
  private final SystemTime time;
  private final @Nullable Feed feed;
  private final OwnWrites ownWrites;
  private final TellingApart apart;
  private final Map<String, Shelf> shelves;
  private final Map<String, Recipe> recipes;
  private volatile Knowledge knowledge;
  private volatile @Nullable Views views;
  private final Set<SqlStatement> queries = ConcurrentHashMap.newKeySet();
  private final StatementMemory texts = new StatementMemory(TEXTS_REMEMBERED);

  private WarmShelf(Builder builder, Session session, SystemTime time, Board board) {
    this.dataSource = builder.dataSource;
    this.ambient = session.ambient();
    this.namespace = builder.namespace + "|" + ambient;
    this.time = time;
    this.board = board;
    this.feed = builder.feed;
    this.ownWrites = new OwnWrites(board, time, feed);
    this.apart = builder.precision.of(feed);
    this.knowledge = knowledgeOf(board.schemaVersion());
    Shelf.Trust trust = feed == null ? Shelf.Trust.TTL_ALONE : Shelf.Trust.FEED;
    Map<String, Shelf> made = new TreeMap<>();
    builder.policies.forEach(
        (name, policy) -> made.put(name, new Shelf(name, policy, board, time, trust)));
    this.shelves = Map.copyOf(made);
    this.recipes = Map.copyOf(builder.recipes);
  }

  /**
   * Begins to configure.
   *
   * @param dataSource where reads go; best a pool. Its connections should all lead to the same
   *     database, as the same role, with the same settings: answers of one that differs from the
   *     first are not kept
   */
  public static Builder over(DataSource dataSource) {
    return new Builder(Objects.requireNonNull(dataSource, "dataSource"));
  }

  /**
   * Begins a query.
   *
   * @param sql a read, with parameters as {@code :name} or {@code ?}. Sent to the database as it is
   * @throws dev.warmshelf.sql.SqlTextException if the text is not even a sequence of SQL tokens
   */
  public QueryDraft query(String sql) {
    return new QueryDraft(this, texts.of(sql));
  }

  /**
   * A shelf by name.
   *
   * @throws IllegalArgumentException if there is none
   */
  public Shelf shelf(String name) {
    Shelf found = shelves.get(name);
    if (found == null) {
      throw new IllegalArgumentException(
          "There is no shelf '"
              + name
              + "'; there are "
              + new TreeMap<>(shelves).keySet()
              + ". Add it with shelf(\""
              + name
              + "\", ...) before open().");
    }
    return found;
  }

  Recipe recipeOf(String shelf) {
    return recipes.getOrDefault(shelf, Recipe.plain());
  }

  /** All shelves. */
  public Collection<Shelf> shelves() {
    return shelves.values();
  }

  /** Up to when the feed has delivered everything; empty without a feed. */
  public Optional<Instant> freshAsOf() {
    return Optional.ofNullable(board.watermark()).map(Watermark::at);
  }

  /**
   * Says that tables, views or functions have changed their meaning: everything kept is out, and
   * all statements are looked at again. The journal tells by itself if a superuser installed it.
   */
  public void schemaChanged() {
    board.noteSchemaChange();
  }

  /**
   * Begins a write: a statement that changes data. Once it has returned, no reading of this process
   * misses it.
   *
   * @param sql with parameters as {@code :name} or {@code ?}; may have a {@code RETURNING} clause
   */
  public Write write(String sql) {
    return new Write(this, texts.of(sql), null);
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
    return Transaction.run(this, work);
  }

  /** Values that are no query's, kept on the main shelf under names of the engineer's own. */
  public <V> ShelvedValues<V> values(String name, Class<V> type) {
    return new ShelvedValues<>(this, shelf(MAIN_SHELF), name, type);
  }

  /** Puts out all answers with this tag, in this process, in constant time. */
  public void clearTag(String tag) {
    board.tick(List.of(Lane.ofTag(tag)));
  }

  /**
   * Puts out all answers that were read from this table, or from a part of it, in this process, in
   * constant time.
   *
   * @param schema as the catalogue spells it
   * @param table as the catalogue spells it; of a partitioned table the root
   */
  public void clearTable(String schema, String table) {
    Lane lane = Lane.ofTable(schema, table);
    board.tick(List.of(lane, lane.atLarge()));
  }

  /** Puts out all answers that stand on this lane, in this process, in constant time. */
  public void clearLane(Lane lane) {
    board.tick(List.of(lane));
  }

  /** Puts out all answers of all shelves, in this process, in constant time. */
  public void clearAll() {
    board.tickEverything();
  }

  /**
   * The columns by which tables would have to be told apart for the queries made so far to stand on
   * no more than they must; what {@code shelf feed install} and {@code Journal.install} take, table
   * by table.
   *
   * @throws CatalogueException if the catalogue could not be asked
   */
  public SortedMap<Lane, List<String>> proposedColumns() {
    return known(board.schemaVersion()).analyst().proposal(List.copyOf(queries));
  }

  void remember(SqlStatement query) {
    if (queries.size() < TEXTS_REMEMBERED) {
      queries.add(query);
    }
  }

  /** What the feed has counted and how it is; empty without a feed. */
  public Optional<FeedMeters.Snapshot> feedMeters() {
    return Optional.ofNullable(feed).map(followed -> followed.meters().snapshot());
  }

  /**
   * Has every question to any shelf told to this recorder from now on, in place of any before; null
   * for none.
   */
  public void recordTo(@Nullable Recorder recorder) {
    shelves.values().forEach(shelf -> shelf.recordTo(recorder));
  }

  /** Stops following the feed. Shelves stop serving once their tolerance has passed. */
  @Override
  public void close() {
    Views shown = views;
    if (shown != null) {
      shown.close();
    }
    shelves.values().forEach(Shelf::close);
    if (feed != null) {
      feed.close();
    }
    time.close();
  }

  boolean isFollowed(Lane table) {
    return feed == null || feed.covers(table);
  }

  Board board() {
    return board;
  }

  OwnWrites ownWrites() {
    return ownWrites;
  }

  DataSource dataSource() {
    return dataSource;
  }

  String ambient() {
    return ambient;
  }

  String namespace() {
    return namespace;
  }

  /** The schema's version as far as is known; what was worked out for another is void. */
  long schemaVersion() {
    return board.schemaVersion();
  }

  /**
   * A verdict from what the catalogue says at this version of the schema or later. Each version has
   * a catalogue of its own, so that an answer asked for before a change cannot be remembered after
   * it.
   */
  Verdict analyse(SqlStatement statement, List<String> declared, long schemaVersion) {
    Verdict verdict = known(schemaVersion).analyst().verdict(statement, declared, apart);
    if (feed != null && verdict instanceof Verdict.Keepable keepable) {
      for (Lane lane : keepable.tables().lanes()) {
        if (!feed.covers(lane)) {
          return new Verdict.Refused(new Refusal(Refusal.Reason.NOT_FOLLOWED, lane.name(), -1));
        }
      }
    }
    return verdict;
  }

  /** What the catalogue says now. */
  Catalogue catalogue() {
    return known(board.schemaVersion()).catalogue();
  }

  SqlStatement statement(String sql) {
    return texts.of(sql);
  }

  private Knowledge known(long schemaVersion) {
    Knowledge known = knowledge;
    if (known.schemaVersion() < schemaVersion) {
      known = knowledgeOf(schemaVersion);
      knowledge = known;
    }
    return known;
  }

  private Knowledge knowledgeOf(long schemaVersion) {
    Catalogue catalogue = new PostgresCatalogue(dataSource);
    return new Knowledge(schemaVersion, catalogue, new Analyst(catalogue));
  }

  private record Knowledge(long schemaVersion, Catalogue catalogue, Analyst analyst) {}

  /** Configures a {@link WarmShelf}. Not thread-safe. */
  public static final class Builder {
    private final DataSource dataSource;
    private final Map<String, Policy> policies = new LinkedHashMap<>();
    private final Map<String, Recipe> recipes = new LinkedHashMap<>();
    private String namespace = "";
    private @Nullable Feed feed;
    private boolean onTtlAlone;
    private Precision precision = Precision.ANSWERS;

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
     * How finely changes are told apart; by default as finely as possible. Coarser is never wrong,
     * and tells by comparison what the finer gains.
     */
    public Builder tellingApart(Precision by) {
      this.precision = Objects.requireNonNull(by, "by");
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
     * Adds a shelf, or adjusts {@link WarmShelf#MAIN_SHELF}.
     *
     * @param adjust given {@link Policy#standard()}
     */
    public Builder shelf(String name, UnaryOperator<Policy> adjust) {
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
     * Connects, finds the feed's place, and starts.
     *
     * @throws IllegalStateException if neither or both of a feed and {@link #onTtlAlone()} are set
     * @throws SQLException if the database cannot be reached, or is a replica
     * @throws FeedException if the feed cannot start
     */
    public WarmShelf open() throws SQLException, FeedException {
      if ((feed != null) == onTtlAlone) {
        throw new IllegalStateException(
            onTtlAlone
                ? "Both a feed and onTtlAlone() are set; keep one of them."
                : "Nothing says how answers stay true. Set following(feed), or onTtlAlone() to"
                    + " accept answers as stale as their TTL.");
      }
      Session session = Session.of(dataSource);
      session.requirePrimary();
      SystemTime time = SystemTime.start();
      try {
        Board board = new Board();
        WarmShelf warm = new WarmShelf(this, session, time, board);
        if (feed != null) {
          feed.follow(board, time);
        }
        warm.views = new Views(namespace, warm.shelves(), feed, board, time);
        return warm;
      } catch (FeedException | RuntimeException e) {
        time.close();
        throw e;
      }
    }
  }
}
