package dev.warmshelf.stress;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.time.Instant;
import java.util.List;
import org.openjdk.jcstress.annotations.Actor;
import org.openjdk.jcstress.annotations.Arbiter;
import org.openjdk.jcstress.annotations.Expect;
import org.openjdk.jcstress.annotations.JCStressTest;
import org.openjdk.jcstress.annotations.Outcome;
import org.openjdk.jcstress.annotations.State;
import org.openjdk.jcstress.infra.results.I_Result;

/**
 * What must never be seen of a shelf: a value from before a change, or a clearing, that is over.
 */
public class ShelfStress {
  private static final Lane LANE = Lane.ofTable("public", "booking");
  private static final Footprint FOOTPRINT = Footprint.of(LANE);
  private static final Key KEY = Key.named("stress", "key");
  private static final TimeSource STILL =
      new TimeSource() {
        @Override
        public long nanos() {
          return 1;
        }

        @Override
        public long coarseNanos() {
          return 1;
        }

        @Override
        public Instant wall() {
          return Instant.EPOCH;
        }
      };

  private ShelfStress() {}

  /** One entry, one value in the database, and the one who asks when all is over. */
  @State
  public static class Table {
    private final Board board = new Board(16);
    private final AnswerShelf shelf =
        new AnswerShelf(
            "stress",
            Policy.standard().holding(Capacity.entries(2)),
            board,
            STILL,
            Ground.Trust.FEED);
    private volatile int database;

    public Table() {
      board.advance(new Watermark(1));
    }

    int read() {
      Reading<Integer> reading =
          shelf.<Integer, RuntimeException>read(KEY, FOOTPRINT, () -> database);
      return reading.value();
    }

    void change() {
      database = 1;
      board.tick(List.of(LANE));
    }

    void clear() {
      database = 1;
      shelf.clear(KEY);
    }

    void clearAll() {
      database = 1;
      shelf.clear();
    }
  }

  /** A load against a change. */
  @JCStressTest
  @Outcome(id = "1", expect = Expect.ACCEPTABLE, desc = "the change is seen")
  @Outcome(id = "0", expect = Expect.FORBIDDEN, desc = "an old answer stayed")
  public static class ReadAgainstChange {
    @Actor
    public void read(Table table) {
      table.read();
    }

    @Actor
    public void change(Table table) {
      table.change();
    }

    @Arbiter
    public void look(Table table, I_Result result) {
      result.r1 = table.read();
    }
  }

  /** A load against the clearing of its key. */
  @JCStressTest
  @Outcome(id = "1", expect = Expect.ACCEPTABLE, desc = "what was cleared is gone")
  @Outcome(id = "0", expect = Expect.FORBIDDEN, desc = "an old answer stayed")
  public static class ReadAgainstClearingOfKey {
    @Actor
    public void read(Table table) {
      table.read();
    }

    @Actor
    public void clear(Table table) {
      table.clear();
    }

    @Arbiter
    public void look(Table table, I_Result result) {
      result.r1 = table.read();
    }
  }

  /** A load against the clearing of the shelf. */
  @JCStressTest
  @Outcome(id = "1", expect = Expect.ACCEPTABLE, desc = "what was cleared is gone")
  @Outcome(id = "0", expect = Expect.FORBIDDEN, desc = "an old answer stayed")
  public static class ReadAgainstClearingOfShelf {
    @Actor
    public void read(Table table) {
      table.read();
    }

    @Actor
    public void clear(Table table) {
      table.clearAll();
    }

    @Arbiter
    public void look(Table table, I_Result result) {
      result.r1 = table.read();
    }
  }
}
