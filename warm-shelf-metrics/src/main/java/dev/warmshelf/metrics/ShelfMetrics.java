package dev.warmshelf.metrics;

import dev.warmshelf.AskedStatement;
import dev.warmshelf.Health;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.shelf.HeldSize;
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
 * <p>Statements that come through the wrapped data source are told apart by their form's digest, as
 * many as are allowed; what comes later is counted as {@code others}. A new one appears one reading
 * after the first that came after it.
 *
 * <p>Thread-safe.
 */
public final class ShelfMetrics implements MeterBinder {
  private static final String PREFIX = "warmshelf.";
  private static final int MOST_STATEMENTS = 100;
  private static final String OTHERS = "others";
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
          Count.TIMED_HIT_NANOS);

  private final WarmShelf warm;
  private final int mostStatements;
  private final Map<String, Boolean> told = new ConcurrentHashMap<>();
  private volatile @Nullable Seen seen;

  /** Of all its shelves, and a hundred statements. */
  public ShelfMetrics(WarmShelf warm) {
    this(warm, MOST_STATEMENTS);
  }

  /**
   * The same.
   *
   * @param mostStatements so many are told apart; 0 for none
   */
  public ShelfMetrics(WarmShelf warm, int mostStatements) {
    this.warm = Objects.requireNonNull(warm, "warm");
    this.mostStatements = mostStatements;
  }

  @Override
  public void bindTo(MeterRegistry registry) {
    warm.shelves().forEach(shelf -> bind(shelf, registry));
    bindFeed(registry);
    bindHealth(registry);
    bind(OTHERS, registry);
    Gauge.builder(PREFIX + "statements.known", () -> known(registry))
        .description("Forms of statements that are told apart")
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
    Gauge.builder(PREFIX + "entries", shelf, Shelf::size).tags(tags).register(registry);
    Gauge.builder(PREFIX + "memory", shelf, ShelfMetrics::bytes)
        .tags(tags)
        .baseUnit("bytes")
        .description("About what the kept answers take, with their keys")
        .register(registry);
  }

  private static void bindTimes(Shelf shelf, Tags tags, MeterRegistry registry) {
    FunctionCounter.builder(
            PREFIX + "time.saved",
            shelf,
            each -> seconds(each.meters().snapshot().timeSavedNanos()))
        .tags(tags)
        .baseUnit("seconds")
        .description("Load times of the answers that hits gave, less what the hits took")
        .register(registry);
    timer(registry, "load", tags, shelf.meters().loads());
    timer(registry, "hit", tags, shelf.meters().timedHits());
    FunctionTimer.builder(
            PREFIX + "mend",
            shelf,
            each -> each.meters().snapshot().get(Count.MENDED),
            each -> each.meters().snapshot().get(Count.MENDING_NANOS),
            TimeUnit.NANOSECONDS)
        .tags(tags)
        .register(registry);
  }

  /** Count, sum, and two quantiles. */
  private static void timer(MeterRegistry registry, String name, Tags tags, Timings times) {
    FunctionTimer.builder(
            PREFIX + name, times, Timings::count, Timings::totalNanos, TimeUnit.NANOSECONDS)
        .tags(tags)
        .register(registry);
    for (int percent : new int[] {50, 99}) {
      TimeGauge.builder(
              PREFIX + name + ".quantile",
              times,
              TimeUnit.NANOSECONDS,
              each -> each.count() == 0 ? Double.NaN : each.nanosAt(percent))
          .tags(tags.and("quantile", "0." + percent))
          .description("Since the shelf was opened")
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
          .register(registry);
    }
    for (FeedMeters.State state : FeedMeters.State.values()) {
      Gauge.builder(PREFIX + "feed.state", warm, each -> isFeed(each, state) ? 1 : 0)
          .tag("state", words(state))
          .register(registry);
    }
    TimeGauge.builder(
            PREFIX + "feed.lag",
            warm,
            TimeUnit.MILLISECONDS,
            each -> each.health().lag().map(lag -> (double) lag.toMillis()).orElse(Double.NaN))
        .description("Up to how long ago all changes are known")
        .register(registry);
  }

  private void bindHealth(MeterRegistry registry) {
    for (Health.State state : Health.State.values()) {
      Gauge.builder(PREFIX + "health", warm, each -> each.health().state() == state ? 1 : 0)
          .tag("state", words(state))
          .register(registry);
    }
  }

  private static boolean isFeed(WarmShelf warm, FeedMeters.State state) {
    return warm.feedMeters().filter(meters -> meters.state() == state).isPresent();
  }

  /** How many statements are told apart; shows those that have come since. */
  private int known(MeterRegistry registry) {
    for (AskedStatement each : warm.statements()) {
      if (told.size() < mostStatements
          && !each.formDigest().isEmpty()
          && told.putIfAbsent(each.formDigest(), true) == null) {
        bind(each.formDigest(), registry);
      }
    }
    return told.size();
  }

  private void bind(String form, MeterRegistry registry) {
    for (boolean shelf : new boolean[] {true, false}) {
      FunctionCounter.builder(PREFIX + "statements", this, each -> each.executed(form, shelf))
          .tag("form", form)
          .tag("by", shelf ? "shelf" : "database")
          .description("Executions through the wrapped data source")
          .register(registry);
    }
  }

  private double executed(String form, boolean shelf) {
    Executed found = executed().getOrDefault(form, Executed.NEVER);
    return shelf ? found.byShelf() : found.byDatabase();
  }

  /** By form, as of the last second: a registry asks for one after the other. */
  private Map<String, Executed> executed() {
    Seen known = seen;
    long now = System.nanoTime();
    if (known == null || now - known.atNanos() > FRESH_NANOS) {
      Map<String, Executed> all = new HashMap<>();
      for (AskedStatement each : warm.statements()) {
        String form = told.containsKey(each.formDigest()) ? each.formDigest() : OTHERS;
        long byDatabase = each.executions() - each.answered();
        all.merge(form, new Executed(each.answered(), byDatabase), Executed::and);
      }
      known = new Seen(now, Map.copyOf(all));
      seen = known;
    }
    return known.byForm();
  }

  private record Executed(long byShelf, long byDatabase) {
    static final Executed NEVER = new Executed(0, 0);

    Executed and(Executed more) {
      return new Executed(byShelf + more.byShelf, byDatabase + more.byDatabase);
    }
  }

  private record Seen(long atNanos, Map<String, Executed> byForm) {}

  private static void counter(
      MeterRegistry registry, String name, Tags tags, Shelf shelf, Count count) {
    counter(registry, name, tags, shelf, each -> each.meters().snapshot().get(count));
  }

  private static void counter(
      MeterRegistry registry, String name, Tags tags, Shelf shelf, ToDoubleFunction<Shelf> value) {
    FunctionCounter.builder(PREFIX + name, shelf, value).tags(tags).register(registry);
  }

  private static double bytes(Shelf shelf) {
    return shelf.held().values().stream().mapToLong(HeldSize::bytes).sum();
  }

  private static double seconds(long nanos) {
    return nanos / 1e9;
  }

  /** As metrics are named: {@code loadFailures} is {@code load.failures}. */
  private static String dotted(String label) {
    return label.replaceAll("([A-Z])", ".$1").toLowerCase(Locale.ROOT);
  }

  private static String words(Enum<?> value) {
    return value.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
