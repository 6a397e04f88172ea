package dev.warmshelf.stress;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.HeldLanes;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.FootprintPlan;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.plan.InterestPlan;
import dev.warmshelf.plan.InterestPlan.PlaceRead;
import dev.warmshelf.time.Watermark;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.openjdk.jcstress.annotations.Actor;
import org.openjdk.jcstress.annotations.Arbiter;
import org.openjdk.jcstress.annotations.Expect;
import org.openjdk.jcstress.annotations.JCStressTest;
import org.openjdk.jcstress.annotations.Outcome;
import org.openjdk.jcstress.annotations.State;
import org.openjdk.jcstress.infra.results.II_Result;
import org.openjdk.jcstress.infra.results.I_Result;

/** What must never be seen of a board, in whatever order threads run. */
public class BoardStress {
  private static final Lane LANE = Lane.ofTable("public", "booking");
  private static final List<Lane> LANES = List.of(LANE);
  private static final List<Change> CHANGES = List.of(Change.atLarge(LANE));
  private static final Footprint FOOTPRINT = Footprint.of(LANE);
  private static final Interest INTEREST =
      new InterestPlan(Map.of(LANE, Set.of()), List.of(new PlaceRead(LANE, Map.of(), Map.of())))
          .of(new Object[0], NoRows.INSTANCE);

  private enum NoRows implements FootprintPlan.Rows {
    INSTANCE;

    @Override
    public int size() {
      return 0;
    }

    @Override
    public Object value(int row, int column) {
      throw new IndexOutOfBoundsException();
    }
  }

  private BoardStress() {}

  /** A load against a change: the first number is what was read, the second whether it is fresh. */
  @JCStressTest
  @Outcome(
      id = "0, 1",
      expect = Expect.FORBIDDEN,
      desc = "an answer that misses the change is fresh")
  @Outcome(id = "0, 0", expect = Expect.ACCEPTABLE, desc = "read before, and out")
  @Outcome(id = "1, 0", expect = Expect.ACCEPTABLE, desc = "read after, and out for nothing")
  @Outcome(id = "1, 1", expect = Expect.ACCEPTABLE, desc = "read after, and fresh")
  @State
  public static class LoadAgainstChange {
    private final Board board = new Board(16);
    private volatile int database;
    private long fence;

    @Actor
    public void load(II_Result result) {
      fence = board.lastTick();
      result.r1 = database;
    }

    @Actor
    public void change() {
      database = 1;
      board.tick(LANES);
    }

    @Arbiter
    public void look(II_Result result) {
      result.r2 = board.isFresh(FOOTPRINT, fence) ? 1 : 0;
    }
  }

  /**
   * A load whose lanes get stamps of their own meanwhile: what was read, and whether these say that
   * it is fresh.
   */
  @JCStressTest
  @Outcome(
      id = "0, 1",
      expect = Expect.FORBIDDEN,
      desc = "an answer that misses the change is fresh")
  @Outcome(id = "0, 0", expect = Expect.ACCEPTABLE, desc = "read before, and out")
  @Outcome(id = "1, 0", expect = Expect.ACCEPTABLE, desc = "read after, and out for nothing")
  @Outcome(id = "1, 1", expect = Expect.ACCEPTABLE, desc = "read after, and fresh")
  @State
  public static class HoldAgainstChange {
    private final Board board = new Board(16);
    private volatile int database;
    private long fence;

    @SuppressWarnings("NullAway.Init")
    private HeldLanes held;

    @Actor
    public void load(II_Result result) {
      fence = board.lastTick();
      result.r1 = database;
      held = board.hold(FOOTPRINT);
    }

    @Actor
    public void change() {
      database = 1;
      board.tick(LANES);
    }

    @Arbiter
    public void look(II_Result result) {
      result.r2 = board.isFresh(held, fence, fence, 0) ? 1 : 0;
    }
  }

  /** Two that hold a lane at once, of which a change has a stamp: both see it. */
  @JCStressTest
  @Outcome(id = "0, 0", expect = Expect.ACCEPTABLE, desc = "both are out")
  @Outcome(expect = Expect.FORBIDDEN, desc = "one does not see the change")
  @State
  public static class TwoHold {
    private final Board board = new Board(16);

    public TwoHold() {
      board.tick(LANES);
    }

    @Actor
    public void one(II_Result result) {
      result.r1 = board.isFresh(board.hold(FOOTPRINT), 0, 0, 0) ? 1 : 0;
    }

    @Actor
    public void other(II_Result result) {
      result.r2 = board.isFresh(board.hold(FOOTPRINT), 0, 0, 0) ? 1 : 0;
    }
  }

  /** An own write against somebody else's change, as the lanes' own stamps tell it. */
  @JCStressTest
  @Outcome(id = "0", expect = Expect.ACCEPTABLE, desc = "the answer made from the write is out")
  @Outcome(id = "1", expect = Expect.FORBIDDEN, desc = "the other change is hidden")
  @State
  public static class OwnWriteAgainstChangeHeld {
    private final Board board = new Board(16);
    private final HeldLanes held = board.hold(FOOTPRINT);
    private long own;

    @Actor
    public void write() {
      own = board.tickOwn(CHANGES, FOOTPRINT, 0);
    }

    @Actor
    public void change() {
      board.tick(LANES);
    }

    @Arbiter
    public void look(I_Result result) {
      result.r1 = board.isFresh(held, 0, 0, own) ? 1 : 0;
    }
  }

  /** Two ticks of one stamp: whatever was loaded between them is out. */
  @JCStressTest
  @Outcome(id = "0", expect = Expect.ACCEPTABLE, desc = "out")
  @Outcome(id = "1", expect = Expect.FORBIDDEN, desc = "the lower number came last and won")
  @State
  public static class TwoTicks {
    private final Board board = new Board(16);

    @Actor
    public void one() {
      board.tick(LANES);
    }

    @Actor
    public void other() {
      board.tick(LANES);
    }

    @Arbiter
    public void look(I_Result result) {
      result.r1 = board.isFresh(FOOTPRINT, 1) ? 1 : 0;
    }
  }

  /** An own write against somebody else's change to the same, both after the fence. */
  @JCStressTest
  @Outcome(id = "0", expect = Expect.ACCEPTABLE, desc = "the answer made from the write is out")
  @Outcome(id = "1", expect = Expect.FORBIDDEN, desc = "the own tick hid the other's")
  @State
  public static class OwnWriteAgainstChange {
    private final Board board = new Board(16);
    private long own;

    @Actor
    public void write() {
      own = board.tickOwn(CHANGES, FOOTPRINT, 0);
    }

    @Actor
    public void change() {
      board.tick(LANES);
    }

    @Arbiter
    public void look(I_Result result) {
      result.r1 = board.isFresh(FOOTPRINT, 0, own) ? 1 : 0;
    }
  }

  /** A second look against a change that makes a difference. */
  @JCStressTest
  @Outcome(id = "0", expect = Expect.ACCEPTABLE, desc = "the answer is out")
  @Outcome(id = "1", expect = Expect.FORBIDDEN, desc = "revived for good, past the change")
  @State
  public static class SecondLookAgainstChange {
    private final Board board = new Board(16);
    private LookBack found = new LookBack(0, false, List.of(), List.of(), null);

    @Actor
    public void change() {
      board.tickChanges(CHANGES);
    }

    @Actor
    public void look() {
      found = board.lookBack(INTEREST, 0, 0, Integer.MAX_VALUE);
    }

    @Arbiter
    public void serve(I_Result result) {
      boolean fresh = board.isFresh(FOOTPRINT, 0, found.through(), 0);
      result.r1 = found.findsNothing() && fresh ? 1 : 0;
    }
  }

  /** What was found fresh, and is not looked at again while nothing settles. */
  @JCStressTest
  @Outcome(id = "0", expect = Expect.ACCEPTABLE, desc = "looked at again, or out at first")
  @Outcome(id = "1", expect = Expect.FORBIDDEN, desc = "thought to be fresh for good")
  @State
  public static class FoundFreshAgainstChange {
    private final Board board = new Board(16);
    private long settled;
    private boolean fresh;

    @Actor
    public void change() {
      board.tickChanges(CHANGES);
    }

    @Actor
    public void look() {
      settled = board.settled();
      fresh = board.isFresh(FOOTPRINT, 0);
    }

    @Arbiter
    public void serve(I_Result result) {
      result.r1 = fresh && board.settled() == settled ? 1 : 0;
    }
  }

  /** A hit against a delivery: whether it saw the new watermark, and whether it was served. */
  @JCStressTest
  @Outcome(id = "1, 1", expect = Expect.FORBIDDEN, desc = "served as fresher than it is")
  @Outcome(id = "0, 0", expect = Expect.ACCEPTABLE, desc = "out, by the old watermark")
  @Outcome(id = "0, 1", expect = Expect.ACCEPTABLE, desc = "served, by the old watermark")
  @Outcome(id = "1, 0", expect = Expect.ACCEPTABLE, desc = "out, by the new watermark")
  @State
  public static class HitAgainstDelivery {
    private final Board board = new Board(16);

    @Actor
    public void deliver() {
      board.tick(LANES);
      board.advance(new Watermark(1));
    }

    @Actor
    public void hit(II_Result result) {
      result.r1 = board.watermark() == null ? 0 : 1;
      result.r2 = board.isFresh(FOOTPRINT, 0) ? 1 : 0;
    }
  }

  /** A load against the loss of everything. */
  @JCStressTest
  @Outcome(id = "0, 1", expect = Expect.FORBIDDEN, desc = "an answer from before it is fresh")
  @Outcome(id = "0, 0", expect = Expect.ACCEPTABLE, desc = "read before, and out")
  @Outcome(id = "1, 0", expect = Expect.ACCEPTABLE, desc = "read after, and out for nothing")
  @Outcome(id = "1, 1", expect = Expect.ACCEPTABLE, desc = "read after, and fresh")
  @State
  public static class LoadAgainstUpheaval {
    private final Board board = new Board(16);
    private volatile int database;
    private long fence;

    @Actor
    public void load(II_Result result) {
      fence = board.lastTick();
      result.r1 = database;
    }

    @Actor
    public void lose() {
      database = 1;
      board.tickEverything();
    }

    @Arbiter
    public void look(II_Result result) {
      result.r2 = board.isFresh(FOOTPRINT, fence) ? 1 : 0;
    }
  }
}
