package dev.warmshelf.shelf.read;

import dev.warmshelf.base.Durations;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/** How long answers may be served, as their expiry has it. */
final class Lives {
  private Lives() {}

  /** That of an answer that is loaded now. */
  static Life of(Expiry expiry, boolean isEmpty, TimeSource time) {
    long sinceFill = sinceFill(expiry, isEmpty);
    if (expiry.end().isPresent()) {
      Instant now = time.wall();
      Duration left = Duration.between(now, expiry.end().get().after(now));
      sinceFill = Math.min(sinceFill, nanos(Optional.of(left)));
    }
    return new Life(sinceFill, nanos(expiry.sinceUse()));
  }

  /** That of an answer that is kept already, if the expiry ends it sooner. */
  static Life shorter(Expiry expiry, Life life, boolean isEmpty) {
    return new Life(
        Math.min(life.sinceFill(), sinceFill(expiry, isEmpty)),
        Math.min(life.sinceUse(), nanos(expiry.sinceUse())));
  }

  private static long sinceFill(Expiry expiry, boolean isEmpty) {
    return nanos(isEmpty ? expiry.ofEmpty().or(expiry::sinceFill) : expiry.sinceFill());
  }

  private static long nanos(Optional<Duration> duration) {
    return duration
        .map(length -> length.isNegative() ? 0 : Durations.saturatedNanos(length))
        .orElse(Long.MAX_VALUE);
  }
}
