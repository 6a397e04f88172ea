package dev.warmshelf.shelf.read;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.store.Content;
import dev.warmshelf.store.Entry;
import dev.warmshelf.time.Watermark;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/** A reading of a shelf, with what is kept, if it is. */
public final class ShelfReading<V extends @Nullable Object> implements Reading<V> {
  private final V value;
  private final Origin origin;
  private final long ageNanos;
  private final @Nullable Watermark watermark;
  private final @Nullable String bypass;
  private final Ground ground;
  private final @Nullable Entry entry;
  private final boolean needless;
  private final @Nullable String alone;

  private ShelfReading(
      V value,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      @Nullable String bypass,
      @Nullable Entry entry,
      boolean needless,
      @Nullable String alone,
      Ground ground) {
    this.value = value;
    this.origin = origin;
    this.ageNanos = ageNanos;
    this.watermark = watermark;
    this.bypass = bypass;
    this.entry = entry;
    this.needless = needless;
    this.alone = alone;
    this.ground = ground;
  }

  /**
   * @param watermark up to when the feed had delivered, read before the lanes were looked at; null
   *     if that does not matter
   */
  static <V extends @Nullable Object> ShelfReading<V> of(
      V value,
      Origin origin,
      long ageNanos,
      @Nullable Watermark watermark,
      Entry entry,
      Ground ground) {
    return new ShelfReading<>(value, origin, ageNanos, watermark, null, entry, false, null, ground);
  }

  /**
   * @param began the moment before the read was sent
   */
  static <V extends @Nullable Object> ShelfReading<V> direct(
      V value, Watermark began, String reason, Ground ground) {
    return new ShelfReading<>(value, Origin.DIRECT, 0, began, reason, null, false, null, ground);
  }

  @Override
  public V value() {
    return value;
  }

  @Override
  public Origin origin() {
    return origin;
  }

  @Override
  public Duration age() {
    return Duration.ofNanos(ageNanos);
  }

  @Override
  public Duration loadTime() {
    return Duration.ofNanos(loadNanos());
  }

  @Override
  public Optional<Duration> remainingTtl() {
    if (entry == null || !entry.expires()) {
      return Optional.empty();
    }
    return Optional.of(Duration.ofNanos(Math.max(0, entry.remainingNanos(ground.time().nanos()))));
  }

  @Override
  public Instant freshAsOf() {
    return ground.time().wallAt(freshNanos());
  }

  /** {@link #freshAsOf()} on the monotonic clock. */
  long freshNanos() {
    if (entry == null) {
      return Objects.requireNonNull(watermark, "a direct read says when it began").nanos();
    }
    long began = entry.loadBeganNanos();
    return watermark != null && watermark.nanos() - began > 0 ? watermark.nanos() : began;
  }

  @Override
  public Optional<String> bypass() {
    return Optional.ofNullable(bypass);
  }

  @Override
  public Optional<String> unshared() {
    return Optional.ofNullable(bypass == null ? alone : bypass);
  }

  @Override
  public boolean holdsStill() {
    return entry != null && alone == null && entry.isFresh(ground.board());
  }

  @Override
  public boolean saysWhatWasTold() {
    Watermark told = ground.board().watermark();
    return (origin == Origin.KEPT || origin == Origin.REVIVED)
        && entry != null
        && entry.loadedBy() == LoadedBy.THIS_PROCESS
        && told != null
        && told.nanos() - (entry.loadBeganNanos() + entry.loadNanos()) >= 0
        && entry.isFresh(ground.board());
  }

  @Override
  public Optional<String> version() {
    Entry kept = entry;
    if (kept == null || alone != null) {
      return Optional.empty();
    }
    String digest = kept.value() instanceof Content content ? content.digest() : null;
    return Optional.of(digest == null ? ground.nameOf(kept) : digest);
  }

  @Override
  public long bytes() {
    return entry == null ? Entry.bytesOf(value) : entry.bytes();
  }

  @Override
  public long loadNanos() {
    return entry == null ? 0 : entry.loadNanos();
  }

  @Nullable Entry entry() {
    return entry;
  }

  /**
   * A reading as what it is.
   *
   * @throws ClassCastException if it is not of a shelf
   */
  static <V extends @Nullable Object> ShelfReading<V> of(Reading<V> reading) {
    return (ShelfReading<V>) reading;
  }

  @Override
  public List<Lane> lanes() {
    return entry == null ? List.of() : entry.footprint().shownLanes();
  }

  @Override
  public <W extends @Nullable Object> ShelfReading<W> with(W other) {
    return new ShelfReading<>(
        other, origin, ageNanos, watermark, bypass, entry, needless, alone, ground);
  }

  /**
   * The same reading of its caller's own load.
   *
   * @param why it is for this caller alone; null if it is not
   */
  ShelfReading<V> ofOwnLoad(@Nullable String why, boolean wasNeedless) {
    return why != null || wasNeedless
        ? new ShelfReading<>(
            value, origin, ageNanos, watermark, bypass, entry, wasNeedless, why, ground)
        : this;
  }

  @Override
  public boolean wasNeedless() {
    return needless;
  }

  @Override
  public String toString() {
    return "Reading[" + origin + ", age " + age() + ", fresh as of " + freshAsOf() + "]";
  }
}
