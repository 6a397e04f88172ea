package dev.warmshelf.shelf;

import dev.warmshelf.lane.Lane;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * An answer, with where it came from, how old it is, and a bound on its staleness.
 *
 * <p>Immutable; the value is too, as far as the library made it. A program does not implement it,
 * but in its tests.
 *
 * @param <V> the type of the answer, which may be nullable
 */
public interface Reading<V extends @Nullable Object> {
  /** The answer. */
  V value();

  /** Where it came from. */
  Origin origin();

  /**
   * How long before this read the answer had been kept; zero unless it was {@link Origin#KEPT}. To
   * within 10 milliseconds.
   */
  Duration age();

  /** How long the answer took to load, whoever loaded it; zero for one that bypassed the shelf. */
  Duration loadTime();

  /**
   * How long the answer may still be served if nobody asks for it meanwhile; empty if it never
   * expires or is not kept.
   */
  Optional<Duration> remainingTtl();

  /**
   * A bound on staleness: every change that had committed before this moment is in the answer. For
   * a hit it is the feed's watermark, for a load the moment it began. Shown on the wall clock as
   * that goes when this is called: never ahead of it, whatever it has jumped since the read.
   */
  Instant freshAsOf();

  /** Why the read bypassed the shelf, in words; empty unless it did. */
  Optional<String> bypass();

  /**
   * Why nobody else is given this answer, in words: the read bypassed the shelf, or what was loaded
   * turned out to be good for its caller alone. Empty if it is kept, or would be if it fitted.
   */
  Optional<String> unshared();

  /**
   * Whether no change to what the answer was read from has been noticed since. Never true of an
   * answer that is for its caller alone ({@link #unshared}): of that nobody knows.
   */
  boolean holdsStill();

  /**
   * Whether the answer says what the feed has told, no less and no more: it was kept, which rules
   * out one for its caller alone; the feed has told of all that had committed when it was loaded;
   * and none of that has touched it since. Of an answer that another process has loaded nobody
   * knows so exactly when that was.
   */
  boolean saysWhatWasTold();

  /**
   * A name for what the answer says, from which {@link dev.warmshelf.http.ReadingHeaders#entityTag}
   * makes an entity tag: of rows it is a digest of their values in their order, the same in every
   * process, worked out when it is first asked for; of any other kept value it is the same for as
   * long as that is kept. Empty if nothing is kept.
   */
  Optional<String> version();

  /** About how many bytes the answer takes in memory. */
  long bytes();

  /** {@link #loadTime()} in nanoseconds. */
  long loadNanos();

  /** The same reading of another value: what a caller makes of the answer. */
  <W extends @Nullable Object> Reading<W> with(W other);

  /**
   * Whether this caller's load was for nothing: what was kept had been put out by a change, and the
   * load gave the same again.
   */
  boolean wasNeedless();

  /** The lanes that the answer depends on; none for one that bypassed the shelf. */
  List<Lane> lanes();
}
