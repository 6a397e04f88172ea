package dev.warmshelf.measure.run;

import dev.warmshelf.Precision;
import dev.warmshelf.QueryDraft;
import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.statement.Verdict;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;

/** Reads through a shelf. */
final class ShelfWay implements Way {
  /** What is out of date is held; for how long each query takes it, the workload says. */
  private static final OldAnswers LONGEST_HELD =
      OldAnswers.none().orWhenFailing(Duration.ofHours(1));

  /** Each read is compared anyway, and the database counts what it is asked. */
  private static final Audit UNAUDITED = Audit.none();

  private static final Duration LONGEST_RENEWAL = Duration.ofSeconds(60);

  private static final Duration LONGEST_WAIT_FOR_FEED = Duration.ofSeconds(10);

  private final WayKind kind;
  private final WarmShelf warm;
  private final String shelf;

  /** Stale answers go with time, not by an invalidation. */
  private final boolean boundedByTtl;

  private final Map<Workload.Statement, ShelvedQuery<?>> queries = new ConcurrentHashMap<>();

  private ShelfWay(WayKind kind, WarmShelf warm, String shelf, boolean boundedByTtl) {
    this.kind = kind;
    this.shelf = shelf;
    this.warm = warm;
    this.boundedByTtl = boundedByTtl;
  }

  /** Follows the journal, invalidating as finely as this, and renewing like this. */
  static ShelfWay following(
      DataSource dataSource, WayKind kind, Precision precision, Renewal renewal)
      throws SQLException, FeedException {
    return new ShelfWay(
        kind,
        WarmShelf.over(dataSource)
            .following(JournalFeed.on(dataSource))
            .tracking(precision)
            .namespace(kind.label())
            .shelf(
                WarmShelf.MAIN_SHELF,
                policy ->
                    policy
                        .auditing(UNAUDITED)
                        .renewing(renewal)
                        .serving(kind == WayKind.OLD ? LONGEST_HELD : OldAnswers.none()))
            .open(),
        WarmShelf.MAIN_SHELF,
        false);
  }

  /**
   * Follows the journal as the finest does, and shares a store.
   *
   * @param name of the shelf and of all its keys, so that nothing else in the store is meant
   */
  static ShelfWay sharing(DataSource dataSource, SharedStore store, String name)
      throws SQLException, FeedException {
    return new ShelfWay(
        WayKind.SHARED,
        WarmShelf.over(dataSource)
            .following(JournalFeed.on(dataSource))
            .namespace(name)
            .sharing(Sharing.through(store))
            .shelf(name, policy -> policy.auditing(UNAUDITED).renewing(Renewal.mending()))
            .open(),
        name,
        false);
  }

  /** Follows nothing. */
  static ShelfWay onTtlAlone(DataSource dataSource, Duration ttl)
      throws SQLException, FeedException {
    return new ShelfWay(
        WayKind.TTL,
        WarmShelf.over(dataSource)
            .onTtlAlone()
            .namespace(WayKind.TTL.label())
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.auditing(UNAUDITED).ttl(ttl))
            .open(),
        WarmShelf.MAIN_SHELF,
        true);
  }

  @Override
  public WayKind kind() {
    return kind;
  }

  @Override
  public Read read(Request request) throws SQLException {
    return read(request, queryOf(request).question());
  }

  private <T> Read read(Request request, Question<T> question) throws SQLException {
    request.inputs().forEach(question::with);
    boolean mayBeOld = kind == WayKind.OLD && !request.query().mayBeOld().isZero();
    question.taking(mayBeOld ? OldAnswers.within(request.query().mayBeOld()) : OldAnswers.none());
    Reading<List<T>> reading = question.list();
    return new Read(
        reading.origin(),
        reading.value(),
        reading.loadNanos(),
        reading.wasNeedless(),
        () -> boundedByTtl || !reading.holdsStill());
  }

  @Override
  public long databaseReads() {
    return meters().orElseThrow().databaseReads() + warm.rosterMeters().databaseReads();
  }

  @Override
  public Optional<Meters.Snapshot> meters() {
    return Optional.of(warm.shelf(shelf).meters().snapshot());
  }

  @Override
  public void settle() {
    warm.awaitBackground(LONGEST_RENEWAL);
  }

  @Override
  public Map<String, HeldSize> held() {
    Map<String, String> labels = new HashMap<>();
    queries.forEach((query, shelved) -> labels.put(shelved.normalForm(), query.label()));
    Map<String, HeldSize> held = new HashMap<>();
    for (Map.Entry<KeyShape, HeldSize> each : AnswerShelf.of(warm.shelf(shelf)).held().entrySet()) {
      String statement = each.getKey().statement();
      held.put(labels.getOrDefault(statement, statement), each.getValue());
    }
    return held;
  }

  /** Why answers to this request are not kept; empty if they are. */
  Optional<String> refusal(Request request) throws SQLException {
    return queryOf(request).refusal();
  }

  /** How answers to this request are kept; empty if they are not. */
  Optional<Verdict.Keepable> keepable(Request request) throws SQLException {
    return queryOf(request).verdict() instanceof Verdict.Keepable keepable
        ? Optional.of(keepable)
        : Optional.empty();
  }

  @Override
  public Optional<Instant> deliveredUpTo() {
    return boundedByTtl ? Optional.empty() : Optional.of(warm.freshAsOf().orElse(Instant.MIN));
  }

  @Override
  public void awaitDelivery() throws SQLException {
    Instant now = Instant.now();
    Instant deadline = now.plus(LONGEST_WAIT_FOR_FEED);
    while (!deliveredUpTo().orElse(Instant.MAX).isAfter(now)) {
      if (Instant.now().isAfter(deadline)) {
        throw new SQLException("The feed has not delivered for " + LONGEST_WAIT_FOR_FEED + ".");
      }
      LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(1));
    }
  }

  WarmShelf warm() {
    return warm;
  }

  @Override
  public void close() {
    warm.close();
  }

  /** By its columns' labels only where versions are read by them: others' may be repeated. */
  private ShelvedQuery<?> queryOf(Request request) {
    return queries.computeIfAbsent(
        request.query(),
        query -> {
          Recipe recipe = Recipe.plain();
          for (String input : query.leftOut()) {
            recipe = recipe.leavingOut(input);
          }
          QueryDraft draft =
              warm.query(query.sql().text()).named(query.label()).on(shelf).keyedBy(recipe);
          return query.versions().isEmpty() ? draft.asLists() : draft.asMaps();
        });
  }
}
