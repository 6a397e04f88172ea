package dev.warmshelf.metrics;

import dev.warmshelf.Health;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.AskedStatement.Outcomes;
import dev.warmshelf.shelf.NeedlessReloads;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Shelf;
import io.micrometer.core.instrument.FunctionCounter;
import io.micrometer.core.instrument.FunctionTimer;
import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import io.micrometer.core.instrument.Tags;
import io.micrometer.core.instrument.TimeGauge;
import io.micrometer.core.instrument.binder.MeterBinder;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.function.ToDoubleFunction;
import org.jspecify.annotations.Nullable;

/**
 * Shows what the shelves of a {@link WarmShelf} and its feed count to a registry. All is read when
 * the registry asks, and costs nothing otherwise. {@code docs/observing.md} lists the names.
 *
 * <p>Queries are told apart by name, and others, also those that come through the wrapped data
 * source, by their form's digest, as many as are allowed; what comes later is counted as {@code
 * others}. A new one appears one reading after the first that came after it.
 *
 * <p>Thread-safe.
 */
public final class ShelfMetrics implements MeterBinder {
  private static final String PREFIX = "warmshelf.";
  private static final int MOST_QUERIES = 100;
  private static final int MOST_TABLES = 100;
  private static final String OTHERS = "others";
  private static final Outcomes NEVER = new Outcomes(0, 0, 0);
  private static final Map<String, ToDoubleFunction<Outcomes>> RESULTS =
      Map.of("hit", Outcomes::hits, "miss", Outcomes::misses, "direct", Outcomes::direct);
  private static final long FRESH_NANOS = TimeUnit.SECONDS.toNanos(1);

  /** Shown as something else than a counter of their own. */
  private static final Set<Count> SHOWN_OTHERWISE =
      EnumSet.of(
          Count.HITS,
          Count.MISSES,
          Count.INVALIDATED,
          Count.EXPIRED,
          Count.EVICTED,
          Count.MENDED,
          Count.MENDING_NANOS,
          Count.SPARED_NANOS,
          Count.TIMED_HITS,
          Count.TIMED_HIT_NANOS,
          Count.BEYOND_LOADS_NANOS);

  private final WarmShelf warm;
  private final int mostQueries;
  private final Map<String, Boolean> told = new ConcurrentHashMap<>();
  private final Map<String, Boolean> tables = new ConcurrentHashMap<>();
  private volatile @Nullable Seen seen;

  /** Of all its shelves, and a hundred queries. */
  public ShelfMetrics(WarmShelf warm) {
    this(warm, MOST_QUERIES);
  }

  /**
   * The same.
   *
   * @param mostQueries so many are told apart; 0 for none
   */
  public ShelfMetrics(WarmShelf warm, int mostQueries) {
    this.warm = Objects.requireNonNull(warm, "warm");
    this.mostQueries = mostQueries;
  }

  @Override
  public void bindTo(MeterRegistry registry) {
    warm.shelves().forEach(shelf -> bind(shelf, registry));
    bindFeed(registry);
    bindHealth(registry);
    bindShared(registry);
    bind(OTHERS, registry);
    Gauge.builder(PREFIX + "queries.known", () -> known(registry))
        .description(Descriptions.of("queries.known"))
        .register(registry);
  }

  private void bind(Shelf shelf, MeterRegistry registry) {
    Tags tags = Tags.of("shelf", shelf.name());
    counter(registry, "lookups", tags.and("result", "hit"), shelf, Count.HITS);
    counter(registry, "lookups", tags.and("result", "miss"), shelf, Count.MISSES);
    for (Count left : List.of(Count.INVALIDATED, Count.EXPIRED, Count.EVICTED)) {
      counter(registry, "entries.left", tags.and("why", left.label()), shelf, left);
    }
    for (Count count : EnumSet.complementOf(EnumSet.copyOf(SHOWN_OTHERWISE))) {
      counter(registry, dotted(count.label()), tags, shelf, count);
    }
    for (BypassReason reason : BypassReason.values()) {
      counter(
          registry,
          "bypassed",
          tags.and("reason", words(reason)),
          shelf,
          each -> each.meters().snapshot().get(reason));
    }
    for (Finding finding : Finding.values()) {
      counter(
          registry,
          "audits",
          tags.and("finding", words(finding)),
          shelf,
          each -> each.meters().snapshot().get(finding));
    }
    bindTimes(shelf, tags, registry);
    bindNeedless(shelf, tags, registry);
    bindStoodDown(shelf, tags, registry);
    Gauge.builder(PREFIX + "entries", shelf, Shelf::size)
        .tags(tags)
        .description(Descriptions.of("entries"))
        .register(registry);
    Gauge.builder(PREFIX + "memory", shelf, Shelf::bytes)
        .tags(tags)
        .baseUnit("bytes")
        .description(Descriptions.of("memory"))
        .register(registry);
  }

  private void bindNeedless(Shelf shelf, Tags tags, MeterRegistry registry) {
    Gauge.builder(PREFIX + "needless.tables", shelf, each -> needlessTables(each, registry))
        .tags(tags)
        .description(Descriptions.of("needless.tables"))
        .register(registry);
  }

  private static void bindStoodDown(Shelf shelf, Tags tags, MeterRegistry registry) {
    Gauge.builder(PREFIX + "stood.down", shelf, each -> each.stoodDown().size())
        .tags(tags)
        .description(Descriptions.of("stood.down"))
        .register(registry);
  }

  private static void bindTimes(Shelf shelf, Tags tags, MeterRegistry registry) {
    TimeGauge.builder(
            PREFIX + "time.saved",
            shelf,
            TimeUnit.NANOSECONDS,
            each -> (double) each.meters().snapshot().timeSavedNanos())
        .tags(tags)
        .description(Descriptions.of("time.saved"))
        .register(registry);
    timer(registry, "load", tags, shelf.meters().loads());
    timer(registry, "hit", tags, shelf.meters().timedHits());
    timer(registry, "bypass", tags, shelf.meters().bypasses());
    FunctionTimer.builder(
            PREFIX + "mend",
            shelf,
            each -> each.meters().snapshot().get(Count.MENDED),
            each -> each.meters().snapshot().get(Count.MENDING_NANOS),
            TimeUnit.NANOSECONDS)
        .tags(tags)
        .description(Descriptions.of("mend"))
        .register(registry);
  }

  /** Count, sum, and two quantiles. */
  private static void timer(MeterRegistry registry, String name, Tags tags, Timings times) {
    FunctionTimer.builder(
            PREFIX + name, times, Timings::count, Timings::totalNanos, TimeUnit.NANOSECONDS)
        .tags(tags)
        .description(Descriptions.of(name))
        .register(registry);
    for (int percent : new int[] {50, 99}) {
      TimeGauge.builder(
              PREFIX + name + ".quantile",
              times,
              TimeUnit.NANOSECONDS,
              each -> each.count() == 0 ? Double.NaN : each.nanosAt(percent))
          .tags(tags.and("quantile", "0." + percent))
          .description(Descriptions.of(name + ".quantile"))
          .register(registry);
    }
  }

  private void bindFeed(MeterRegistry registry) {
    if (warm.feedMeters().isEmpty()) {
      return;
    }
    for (String count : warm.feedMeters().get().byName().keySet()) {
      FunctionCounter.builder(
              PREFIX + "feed." + dotted(count),
              warm,
              each -> each.feedMeters().map(meters -> meters.byName().get(count)).orElse(0L))
          .description(Descriptions.of("feed." + dotted(count)))
          .register(registry);
    }
    for (FeedMeters.State state : FeedMeters.State.values()) {
      Gauge.builder(PREFIX + "feed.state", warm, each -> isFeed(each, state) ? 1 : 0)
          .tag("state", words(state))
          .description(Descriptions.of("feed.state"))
          .register(registry);
    }
    TimeGauge.builder(
            PREFIX + "feed.commits.took",
            warm,
            TimeUnit.NANOSECONDS,
            each ->
                each.feedMeters().map(meters -> (double) meters.commits().tookNanos()).orElse(0.0))
        .description(Descriptions.of("feed.commits.took"))
        .register(registry);
    TimeGauge.builder(
            PREFIX + "feed.lag",
            warm,
            TimeUnit.MILLISECONDS,
            each -> each.health().lag().map(lag -> (double) lag.toMillis()).orElse(Double.NaN))
        .description(Descriptions.of("feed.lag"))
        .register(registry);
  }

  /** What a process counts of a store that it shares with others. */
  private void bindShared(MeterRegistry registry) {
    if (warm.shared().isEmpty()) {
      return;
    }
    for (SharedState.Count count : SharedState.Count.values()) {
      FunctionCounter.builder(
              PREFIX + "shared." + dotted(count.word()),
              warm,
              each -> each.shared().map(state -> state.count(count)).orElse(0L))
          .description(Descriptions.of("shared." + dotted(count.word())))
          .register(registry);
    }
    Gauge.builder(
            PREFIX + "shared.away",
            warm,
            each -> each.shared().flatMap(SharedState::trouble).isPresent() ? 1 : 0)
        .description(Descriptions.of("shared.away"))
        .register(registry);
    Gauge.builder(
            PREFIX + "shared.queue",
            warm,
            each -> each.shared().map(SharedState::queuedBytes).orElse(0L))
        .baseUnit("bytes")
        .description(Descriptions.of("shared.queue"))
        .register(registry);
  }

  private void bindHealth(MeterRegistry registry) {
    for (Health.State state : Health.State.values()) {
      Gauge.builder(PREFIX + "health", warm, each -> each.health().state() == state ? 1 : 0)
          .tag("state", words(state))
          .description(Descriptions.of("health"))
          .register(registry);
    }
  }

  private static boolean isFeed(WarmShelf warm, FeedMeters.State state) {
    return warm.feedMeters().filter(meters -> meters.state() == state).isPresent();
  }

  /** Of how many tables changes have invalidated needlessly; shows those that have come since. */
  private int needlessTables(Shelf shelf, MeterRegistry registry) {
    List<NeedlessReloads> all = shelf.needless();
    for (NeedlessReloads each : all) {
      String id = shelf.name() + '\n' + each.table();
      if (tables.size() < MOST_TABLES && tables.putIfAbsent(id, true) == null) {
        bindTable(shelf, each.table(), registry);
      }
    }
    return all.size();
  }

  private static void bindTable(Shelf shelf, String table, MeterRegistry registry) {
    FunctionTimer.builder(
            PREFIX + "needless.reloads",
            shelf,
            each -> needless(each, table).needless(),
            each -> needless(each, table).nanos(),
            TimeUnit.NANOSECONDS)
        .tag("shelf", shelf.name())
        .tag("table", table)
        .description(Descriptions.of("needless.reloads"))
        .register(registry);
  }

  private static NeedlessReloads.Amount needless(Shelf shelf, String table) {
    return shelf.needless().stream()
        .filter(each -> each.table().equals(table))
        .map(NeedlessReloads::all)
        .findFirst()
        .orElse(NeedlessReloads.Amount.NONE);
  }

  /** How many queries are told apart; shows those that have come since. */
  private int known(MeterRegistry registry) {
    for (AskedStatement each : warm.statements()) {
      if (told.size() < mostQueries
          && !each.label().isEmpty()
          && told.putIfAbsent(each.label(), true) == null) {
        bind(each.label(), registry);
      }
    }
    return told.size();
  }

  private void bind(String query, MeterRegistry registry) {
    RESULTS.forEach(
        (result, count) ->
            FunctionCounter.builder(
                    PREFIX + "queries", this, each -> count.applyAsDouble(each.outcomes(query)))
                .tag("query", query)
                .tag("result", result)
                .description(Descriptions.of("queries"))
                .register(registry));
  }

  private Outcomes outcomes(String query) {
    return outcomes().getOrDefault(query, NEVER);
  }

  /** By query, as of the last second: a registry asks for one after the other. */
  private Map<String, Outcomes> outcomes() {
    Seen known = seen;
    long now = System.nanoTime();
    if (known == null || now - known.atNanos() > FRESH_NANOS) {
      Map<String, Outcomes> all = new HashMap<>();
      for (AskedStatement each : warm.statements()) {
        String query = told.containsKey(each.label()) ? each.label() : OTHERS;
        all.merge(query, each.outcomes(), Outcomes::and);
      }
      known = new Seen(now, Map.copyOf(all));
      seen = known;
    }
    return known.byQuery();
  }

  private record Seen(long atNanos, Map<String, Outcomes> byQuery) {}

  private static void counter(
      MeterRegistry registry, String name, Tags tags, Shelf shelf, Count count) {
    counter(registry, name, tags, shelf, each -> each.meters().snapshot().get(count));
  }

  private static void counter(
      MeterRegistry registry, String name, Tags tags, Shelf shelf, ToDoubleFunction<Shelf> value) {
    FunctionCounter.builder(PREFIX + name, shelf, value)
        .tags(tags)
        .description(Descriptions.of(name))
        .register(registry);
  }

  /** As metrics are named: {@code loadFailures} is {@code load.failures}. */
  private static String dotted(String label) {
    return label.replaceAll("([A-Z])", ".$1").toLowerCase(Locale.ROOT);
  }

  private static String words(Enum<?> value) {
    return value.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
