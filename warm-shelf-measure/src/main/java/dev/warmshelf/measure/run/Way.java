package dev.warmshelf.measure.run;

import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.HeldSize;
import dev.warmshelf.shelf.Origin;
import java.sql.SQLException;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import org.jspecify.annotations.Nullable;

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
   * @param rows the same object for as long as the same answer is kept
   * @param loadNanos how long it took to load, if it was kept
   * @param needless whether that load gave what was kept before
   * @param invalidated whether the answer has been invalidated by now; asked after the run, to tell
   *     a late answer from one that nothing would have invalidated
   */
  record Read(
      Origin origin,
      List<? extends Map<String, @Nullable Object>> rows,
      long loadNanos,
      boolean needless,
      BooleanSupplier invalidated) {}
}
