package dev.warmshelf.measure.run;

import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.RequestSource;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.trial.CommitLedger;
import java.sql.SQLException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;

/** A way to read. Thread-safe. */
interface Way extends AutoCloseable {
  /** Which way it is. */
  WayKind kind();

  /** Answers a request. */
  Read read(Request request) throws SQLException;

  /** Reads that reached the database, by the way's own count, since it was made. */
  long databaseReads();

  /** What the way's shelf has counted since it was made; empty where nothing is kept. */
  Optional<Meters.Snapshot> meters();

  /**
   * Those that will ask it, one for each of the source's streams.
   *
   * @throws SQLException if they cannot begin
   */
  default List<Asker> askers(RequestSource source, int readers, CommitLedger<VersionedThing> ledger)
      throws SQLException {
    List<Asker> askers = new ArrayList<>();
    for (int number = 0; number < readers; number++) {
      askers.add(
          new Reader(
              this,
              source.stream(number),
              ledger,
              System::nanoTime,
              source.isPaced(),
              source.passesOverErrors()));
    }
    return askers;
  }

  /** Up to when its feed has told of all; empty if it follows none. */
  default Optional<Instant> deliveredUpTo() {
    return Optional.empty();
  }

  /**
   * Waits until its feed has told of all that has been committed by now, if it follows one.
   *
   * @throws SQLException if that takes too long
   */
  default void awaitDelivery() throws SQLException {}

  /** Waits until it does nothing in the background any more: that is its own work, too. */
  default void settle() {}

  /** What the way holds just now, by query. */
  Map<String, HeldSize> held();

  @Override
  void close();

  /**
   * An answer.
   *
   * @param origin where it came from
   * @param rows maps by their columns' labels, where versions are read by them; the same object for
   *     as long as the same answer is kept
   * @param loadNanos how long it took to load, if it was kept
   * @param needless whether that load gave what was kept before
   * @param invalidated whether the answer has been invalidated by now; asked after the run, to tell
   *     a late answer from one that nothing would have invalidated
   */
  record Read(
      Origin origin, List<?> rows, long loadNanos, boolean needless, BooleanSupplier invalidated) {}
}
