package dev.warmshelf.shelf;

import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * A file in which a program's answers outlive its process. It is read when the shelves are opened;
 * what is still true of it is served from the first question on. It is written when they are
 * closed, and now and then before, for a process that is killed.
 *
 * <p>What makes that sound is the feed: with the answers stands the place up to which it had told
 * of all changes, and it begins there again. Answers without a feed are not written, nor are the
 * program's own values ({@code WarmShelf.values}).
 */
public final class WarmStart extends Terms {
  private static final Duration USUALLY = Duration.ofMinutes(1);
  private static final long USUAL_SIZE = 256L << 20;

  private final Path file;
  private final Duration every;
  private final long atMost;

  private WarmStart(Path file, Duration every, long atMost) {
    Objects.requireNonNull(file, "file");
    if (every.isNegative() || every.isZero() || atMost < 1) {
      throw new IllegalArgumentException(
          "A file is written every so often, with room for something, but every "
              + every
              + " and "
              + atMost
              + " bytes were given.");
    }
    this.file = file;
    this.every = every;
    this.atMost = atMost;
  }

  /** From this file, written once a minute, with 256 MiB at most. */
  public static WarmStart from(Path file) {
    return new WarmStart(file, USUALLY, USUAL_SIZE);
  }

  /** The same, written more or less often. */
  public WarmStart writtenEvery(Duration pause) {
    return new WarmStart(file, pause, atMost);
  }

  /** The same with another bound of its size. */
  public WarmStart ofAtMost(long bytes) {
    return new WarmStart(file, every, bytes);
  }

  /** Of this program alone; of several of its processes one writes it, the others read. */
  public Path file() {
    return file;
  }

  /** How often it is written while the shelves are open. */
  public Duration every() {
    return every;
  }

  /**
   * How many bytes it may have, about; as many are held in memory after the start until they are
   * asked for, for ten minutes at most.
   */
  public long atMost() {
    return atMost;
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(file, every, atMost);
  }
}
