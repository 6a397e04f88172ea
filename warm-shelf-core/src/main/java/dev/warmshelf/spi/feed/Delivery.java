package dev.warmshelf.spi.feed;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.lane.Change;
import dev.warmshelf.meter.FeedMeters;
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
public final class Delivery {
  private static final Logger LOG = LoggerFactory.getLogger(Delivery.class);

  private final Board board;
  private final FeedMeters meters;
  private final Consumer<Clearing> clearing;
  private final Map<String, OwnWrite> expected = new ConcurrentHashMap<>();

  /** Ticks this board, and counts with these meters; what is cleared is nobody's. */
  public Delivery(Board board, FeedMeters meters) {
    this(board, meters, cleared -> {});
  }

  /**
   * The same.
   *
   * @param clearing clears what is cleared in all processes
   */
  public Delivery(Board board, FeedMeters meters, Consumer<Clearing> clearing) {
    this.board = board;
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

  /** Whether a transaction of this process has ticked its changes itself; false once forgotten. */
  public boolean hasTold(String transaction) {
    OwnWrite write = expected.get(transaction);
    return write != null && write.hasTold();
  }

  /** Ticks what the batch tells, then moves the watermark to its mark, if it has one. */
  public void deliver(Batch batch) {
    if (batch.reset() != null) {
      reset(batch.reset());
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
    Watermark mark = batch.mark();
    if (mark != null) {
      meters.delivered(batch.changes().size(), mark.nanos());
      board.advance(mark);
      expected.values().removeIf(write -> write.isOver(mark.nanos()));
    }
  }

  /**
   * Puts everything out: nothing kept can be relied on any more, nor what is known of statements.
   */
  public void reset(String why) {
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
