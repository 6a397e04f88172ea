package dev.warmshelf.shelf;

import dev.warmshelf.spi.store.SharedStore;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * A store in which several processes keep answers for each other. It is asked after the process's
 * own memory, and before the database; of one question one process loads, and the others find what
 * it has loaded. Each judges by its own feed what is still true, as it does with its own answers.
 *
 * <p>It needs a feed. Answers of shelves that end with their process ({@link
 * dev.warmshelf.shelf.Expiry#andWithProcess}) are not shared, nor are the program's own values
 * ({@code WarmShelf.values}). Where the store is away or slow the database answers.
 */
public final class Sharing extends Terms {
  private static final Duration USUAL_WAIT = Duration.ofSeconds(1);
  private static final long USUAL_QUEUE = 16L << 20;
  private static final long USUAL_ANSWER = 1L << 20;

  private final SharedStore store;
  private final Duration waiting;
  private final long queueBytes;
  private final long answerBytes;
  private final @Nullable Duration fromLoadOf;

  private Sharing(
      SharedStore store,
      Duration waiting,
      long queueBytes,
      long answerBytes,
      @Nullable Duration fromLoadOf) {
    Objects.requireNonNull(store, "store");
    if (waiting.isNegative() || (fromLoadOf != null && fromLoadOf.isNegative())) {
      throw new IllegalArgumentException("Nobody waits for less than no time.");
    } else if (queueBytes < 1 || answerBytes < 1) {
      throw new IllegalArgumentException("A queue and its answers have some bytes.");
    }
    this.store = store;
    this.waiting = waiting;
    this.queueBytes = queueBytes;
    this.answerBytes = answerBytes;
    this.fromLoadOf = fromLoadOf;
  }

  /** Through this store: a wait of a second, 16 MiB on their way, answers of 1 MiB at most. */
  public static Sharing through(SharedStore store) {
    return new Sharing(store, USUAL_WAIT, USUAL_QUEUE, USUAL_ANSWER, null);
  }

  /** The same, waiting longer or less long for another process; not at all if it is zero. */
  public Sharing waitingFor(Duration most) {
    return new Sharing(store, most, queueBytes, answerBytes, fromLoadOf);
  }

  /** The same with another bound on what may be on its way. */
  public Sharing queueing(long bytes) {
    return new Sharing(store, waiting, bytes, answerBytes, fromLoadOf);
  }

  /** The same with answers of another size at most. */
  public Sharing answersUpTo(long bytes) {
    return new Sharing(store, waiting, queueBytes, bytes, fromLoadOf);
  }

  /** The same for answers whose load took so long at least. */
  public Sharing fromLoadsOf(Duration least) {
    return new Sharing(store, waiting, queueBytes, answerBytes, least);
  }

  /** Closed together with the {@code WarmShelf}. */
  public SharedStore store() {
    return store;
  }

  /** How long to wait at most for an answer that another process is loading. */
  public Duration waiting() {
    return waiting;
  }

  /** How much may wait to be written to it; what is more is left out. */
  public long queueBytes() {
    return queueBytes;
  }

  /** How large an answer may be in it. */
  public long answerBytes() {
    return answerBytes;
  }

  /**
   * How long the load of an answer must have taken; empty for twice what it takes to ask the store.
   */
  public Optional<Duration> fromLoadOf() {
    return Optional.ofNullable(fromLoadOf);
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(store, waiting, queueBytes, answerBytes, fromLoadOf);
  }
}
