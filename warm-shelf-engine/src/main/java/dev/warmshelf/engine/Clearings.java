package dev.warmshelf.engine;

import dev.warmshelf.base.Library;
import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.caller.OwnWrites;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.database.Database;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.verdict.Verdicts;
import java.sql.SQLException;
import java.util.Collection;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.ToIntFunction;
import javax.sql.DataSource;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** Clears what somebody wants to go, whether or not anything has changed. Thread-safe. */
public final class Clearings {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  /** So many tables' clearings are remembered apart. */
  private static final int MOST_TABLES = 1_000;

  private final Database database;
  private final DataSource dataSource;
  private final Board board;
  private final TimeSource time;
  private final OwnWrites ownWrites;
  private final Verdicts verdicts;
  private final NamedShelves shelves;
  private final Runnable forgetting;

  /** By name, the tick of the last clearing of tables that nobody may have asked for here. */
  private final Map<String, Long> clearedTables = new ConcurrentHashMap<>();

  /** The same of all tables. */
  private volatile long allClearedUpTo = -1;

  /**
   * @param ownWrites by which this process learns what it has had everybody clear
   * @param forgetting forgets what an earlier process has left
   */
  public Clearings(
      Sessions sessions,
      Board board,
      TimeSource time,
      OwnWrites ownWrites,
      Verdicts verdicts,
      NamedShelves shelves,
      Runnable forgetting) {
    this.database = sessions.database();
    this.dataSource = sessions.source();
    this.board = board;
    this.time = time;
    this.ownWrites = ownWrites;
    this.verdicts = verdicts;
    this.shelves = shelves;
    this.forgetting = forgetting;
  }

  /** Invalidates what no change of the data has touched. */
  public long tick(Collection<Lane> lanes) {
    board.noteClearing(time.nanos());
    return board.tick(lanes);
  }

  /** Invalidates everything. */
  public void tickAll() {
    board.noteClearing(time.nanos());
    board.tickEverything();
  }

  /** Clears in this process. */
  public long clear(Clearing what) {
    forgetting.run(); // it may name some of them that nobody knows yet
    long gone =
        switch (what.what()) {
          case QUERY -> count(shelves.shelves(), shelf -> shelf.clearForm(what.name()));
          case KEY -> count(shelves.shelves(), shelf -> shelf.clearEntry(what.name()));
          case SHELF -> {
            AnswerShelf shelf = shelves.all().get(what.name());
            yield shelf == null ? 0 : counted(List.of(shelf), shelf::clear);
          }
          case TABLE -> counted(shelves.shelves(), () -> clearTables(what.name()));
          case TAG -> counted(shelves.shelves(), () -> tick(List.of(Lane.ofTag(what.name()))));
          case ALL -> counted(shelves.shelves(), this::tickAll);
        };
    LOG.info("Cleared {}: {} answers; asked for by {}", what, gone, what.by());
    return gone;
  }

  private static long count(Collection<AnswerShelf> all, ToIntFunction<AnswerShelf> clearing) {
    return all.stream().mapToLong(clearing::applyAsInt).sum();
  }

  /** What clears in constant time does not count: how many less there are that may be served. */
  private static long counted(Collection<AnswerShelf> all, Runnable clearing) {
    long before = count(all, AnswerShelf::fresh);
    clearing.run();
    return Math.max(0, before - count(all, AnswerShelf::fresh));
  }

  /** A name without its schema may be several tables. */
  private void clearTables(String name) {
    Set<Lane> lanes = new HashSet<>();
    for (Lane table : verdicts.tables()) {
      if (table.tableNames().contains(name)) {
        lanes.addAll(List.of(table, table.atLarge()));
      }
    }
    long tick = tick(lanes);
    clearedTables.put(name, tick);
    if (clearedTables.size() > MOST_TABLES) {
      allClearedUpTo = tick;
      clearedTables.clear();
    }
  }

  /** Whether a table of these lanes has been cleared since a tick. */
  public boolean hasClearedTableOf(List<Lane> lanes, long since) {
    if (since < allClearedUpTo) {
      return true;
    } else if (clearedTables.isEmpty()) {
      return false;
    }
    for (Lane lane : lanes) {
      if (lane.isData()) {
        for (String name : lane.table().tableNames()) {
          Long tick = clearedTables.get(name);
          if (tick != null && since < tick) {
            return true;
          }
        }
      }
    }
    return false;
  }

  /**
   * Has all processes clear that follow the journal, and waits until this one has.
   *
   * @throws SQLException if the journal could not be written
   */
  public void clearEverywhere(Clearing what) throws SQLException {
    if (!ownWrites.haveFeed()) {
      throw new IllegalStateException(
          "Without a feed no other process can be told; clear(...) clears in this one.");
    }
    if (what.what() == Clearing.What.SHELF) {
      shelves.get(what.name());
    }
    try (Borrowed borrowed = Borrowed.from(dataSource).autoCommit(true)) {
      database.clearEverywhere(borrowed.connection(), what);
    }
    ownWrites.learned();
  }
}
