package dev.warmshelf.delivery;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Change;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.spi.feed.Receiver;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * From batches of changes to ticks on a board. What every feed does once it knows the changes,
 * whatever it read them from.
 *
 * <p>Batches come from one thread, in order. Own writes may be announced by any thread.
 */
public final class Delivery implements Receiver {
  private static final Logger LOG = LoggerFactory.getLogger(Delivery.class);

  private final Board board;
  private final TimeSource time;
  private final FeedMeters meters;
  private final Consumer<Clearing> clearing;
  private final Map<String, OwnWrite> expected = new ConcurrentHashMap<>();

  /**
   * Ticks this board.
   *
   * @param meters the feed's
   * @param clearing clears what is cleared in all processes; called on the feed's thread, before
   *     the watermark moves past the clearing
   */
  public Delivery(Board board, TimeSource time, FeedMeters meters, Consumer<Clearing> clearing) {
    this.board = board;
    this.time = time;
    this.meters = meters;
    this.clearing = clearing;
  }

  /** Announces an own write. To be called before its commit is sent. */
  public void expect(OwnWrite write) {
    expected.put(write.transaction(), write);
  }

  /** Forgets an own write, met or not. */
  public void forget(OwnWrite write) {
    expected.remove(write.transaction(), write);
  }

  @Override
  public TimeSource time() {
    return time;
  }

  @Override
  public long lastTick() {
    return board.lastTick();
  }

  @Override
  public boolean awaitMark(long nanos, Duration atMost) {
    return board.awaitWatermark(nanos, atMost);
  }

  @Override
  public long untold() {
    return board.untold();
  }

  @Override
  public boolean hasTold(String transaction) {
    OwnWrite write = expected.get(transaction);
    return write != null && write.hasTold();
  }

  @Override
  public void deliver(Batch batch) {
    if (batch.reset().isPresent()) {
      reset(batch.reset().get());
    } else {
      if (!batch.changes().isEmpty()) {
        tick(batch.changes());
        LOG.debug("changes {}", batch.changes());
      }
      if (!batch.meanings().isEmpty()) {
        board.tick(batch.meanings());
        LOG.info(
            "{} statements may mean something else in a changed schema", batch.meanings().size());
      }
    }
    if (!batch.clearings().isEmpty()) {
      board.clearAsTold(() -> batch.clearings().forEach(clearing));
    }
    if (batch.mark().isPresent()) {
      Watermark mark = batch.mark().get();
      meters.delivered(batch.changes().size(), mark.nanos());
      board.advance(mark);
      expected.values().removeIf(write -> write.isOver(mark.nanos()));
    }
  }

  /**
   * Puts everything out: nothing kept can be relied on any more, nor what is known of statements.
   */
  private void reset(String why) {
    LOG.warn("{}; all kept answers are invalidated", why);
    meters.reset();
    board.noteSchemaChange();
  }

  private void tick(List<Change> changes) {
    List<Change> others = new ArrayList<>();
    Map<OwnWrite, List<Change>> own = new LinkedHashMap<>();
    for (Change change : changes) {
      OwnWrite write = expected.get(change.transaction());
      if (write == null) {
        others.add(change);
      } else {
        own.computeIfAbsent(write, w -> new ArrayList<>()).add(change);
      }
    }
    // Own ones first: who else changed the same in this batch may have come later.
    own.forEach((write, its) -> write.tick(board, its));
    if (!others.isEmpty()) {
      board.tickChanges(others);
    }
  }
}
