package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.time.Watermark;
import dev.warmshelf.trial.MovableTime;
import java.io.IOException;
import java.time.Duration;
import java.util.ArrayDeque;
import java.util.List;
import java.util.Optional;
import java.util.Queue;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;

/** A database of one number, a board that hears of its changes, and threads that a test moves. */
final class Questions {
  static final Lane BOOKING = Lane.ofTable("public", "booking");

  final MovableTime time = new MovableTime();
  final Board board = new Board();
  final Queue<Runnable> background = new ArrayDeque<>();
  final Upkeep upkeep = Upkeep.by(background::add);
  @Nullable Integer number = 40;
  @Nullable IOException down;
  Duration loadTime = Duration.ofMillis(100);
  int loads;
  private int changes;

  Questions() {
    deliver();
  }

  AnswerShelf shelf(UnaryOperator<Policy> adjust) {
    Ground ground =
        new Ground(board, time, Ground.Trust.FEED, Ground.room(Capacity.shared(), time), upkeep);
    return new AnswerShelf("test", adjust.apply(Policy.standard()), ground);
  }

  /** The feed delivers up to now. */
  void deliver() {
    board.advance(Watermark.now(time));
  }

  void pass(Duration duration) {
    time.pass(duration);
    deliver();
  }

  /** The number changes, and the feed tells it. */
  void change(int to) {
    number = to;
    Change change =
        new Change(
            "t" + changes++, BOOKING, Optional.empty(), Optional.empty(), "UPDATE", Duration.ZERO);
    board.tickChanges(List.of(change));
    deliver();
  }

  List<String> toldApartBy = List.of("id", "day");

  /** All that waits for a thread is done. */
  void runBackground() {
    while (!background.isEmpty()) {
      background.remove().run();
    }
  }

  Reading<@Nullable Integer> read(AnswerShelf shelf, int id) throws IOException {
    return read(shelf, id, new Asking());
  }

  Reading<@Nullable Integer> read(AnswerShelf shelf, int id, Asking asking) throws IOException {
    return shelf.<@Nullable Integer, @Nullable Integer, IOException>read(
        key(id), asking, value -> value);
  }

  static Key key(int id) {
    return Key.of(KeyShape.of("test", "q"), new String[] {"id"}, new Object[] {id});
  }

  class Asking implements ReadRequest<@Nullable Integer, IOException> {
    @Override
    public Footprint lanes() {
      return Footprint.of(BOOKING);
    }

    @Override
    public @Nullable Integer load() throws IOException {
      time.pass(loadTime);
      if (down != null) {
        throw down;
      }
      loads++;
      return number;
    }

    @Override
    public List<String> toldApartBy(Lane table) {
      return table.equals(BOOKING) ? toldApartBy : List.of();
    }

    @Override
    public @Nullable ReadRequest<@Nullable Integer, IOException> elsewhere() {
      return new Asking();
    }
  }
}
