package dev.warmshelf.shelf;

import java.time.Duration;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * How one shelf keeps answers. Immutable; each method returns an adjusted copy.
 *
 * @param capacity how much to hold; 10,000 entries by default
 * @param ttl how long after its fill an answer may be served, or null for as long as it is fresh;
 *     10 minutes by default
 * @param tolerance how far the feed's watermark may lag behind before the shelf counts the feed as
 *     lost; 1 second by default
 * @param whenLost what to do then; by default the database answers each read
 * @param audit how many hits are checked against direct reads; none by default
 * @param patience how long callers wait for another caller's load before it counts as stuck and one
 *     more is begun; 10 seconds by default
 * @param renewal what to do once something has changed; by default a second look, and mending
 */
public record Policy(
    Capacity capacity,
    @Nullable Duration ttl,
    Duration tolerance,
    WhenLost whenLost,
    Audit audit,
    Duration patience,
    Renewal renewal) {
  private static final Policy STANDARD =
      new Policy(
          Capacity.entries(10_000),
          Duration.ofMinutes(10),
          Duration.ofSeconds(1),
          WhenLost.askDatabase(),
          Audit.none(),
          Duration.ofSeconds(10),
          Renewal.mending());

  /**
   * Durations longer than zero.
   *
   * @throws IllegalArgumentException if one is not
   */
  public Policy {
    Objects.requireNonNull(capacity, "capacity");
    if (ttl != null) {
      requirePositive("ttl", ttl);
    }
    requirePositive("tolerance", tolerance);
    Objects.requireNonNull(whenLost, "whenLost");
    Objects.requireNonNull(audit, "audit");
    requirePositive("patience", patience);
    Objects.requireNonNull(renewal, "renewal");
  }

  /** The defaults. */
  public static Policy standard() {
    return STANDARD;
  }

  /** The same with another capacity. */
  public Policy holding(Capacity most) {
    return new Policy(most, ttl, tolerance, whenLost, audit, patience, renewal);
  }

  /**
   * The same with another time to live.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy ttl(Duration life) {
    return new Policy(
        capacity,
        Objects.requireNonNull(life, "life"),
        tolerance,
        whenLost,
        audit,
        patience,
        renewal);
  }

  /** Answers are served as long as they are fresh, however old. */
  public Policy withoutTtl() {
    return new Policy(capacity, null, tolerance, whenLost, audit, patience, renewal);
  }

  /**
   * The same with another lag before the feed counts as lost.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy tolerating(Duration lag) {
    return new Policy(capacity, ttl, lag, whenLost, audit, patience, renewal);
  }

  /** The same with something else to do while the feed is lost. */
  public Policy whenLost(WhenLost then) {
    return new Policy(capacity, ttl, tolerance, then, audit, patience, renewal);
  }

  /** The same with other audits. */
  public Policy auditing(Audit plan) {
    return new Policy(capacity, ttl, tolerance, whenLost, plan, patience, renewal);
  }

  /**
   * The same with another patience for others' loads.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy waitingAtMost(Duration limit) {
    return new Policy(capacity, ttl, tolerance, whenLost, audit, limit, renewal);
  }

  /** The same with something else to do once something has changed. */
  public Policy renewing(Renewal how) {
    return new Policy(capacity, ttl, tolerance, whenLost, audit, patience, how);
  }

  long lossBoundNanos() {
    return saturatedNanos(whenLost.bound());
  }

  /** The TTL in nanoseconds; {@link Long#MAX_VALUE} where there is none. */
  long lifetimeNanos() {
    return ttl == null ? Long.MAX_VALUE : saturatedNanos(ttl);
  }

  long toleranceNanos() {
    return saturatedNanos(tolerance);
  }

  long patienceNanos() {
    return saturatedNanos(patience);
  }

  /** {@link Duration#toNanos()}, or {@link Long#MAX_VALUE} for more than that can say. */
  public static long saturatedNanos(Duration duration) {
    return duration.compareTo(Duration.ofNanos(Long.MAX_VALUE)) >= 0
        ? Long.MAX_VALUE
        : duration.toNanos();
  }

  private static void requirePositive(String what, Duration duration) {
    if (duration.isNegative() || duration.isZero()) {
      throw new IllegalArgumentException(
          "A policy's " + what + " must be longer than zero, but is " + duration + ".");
    }
  }
}
