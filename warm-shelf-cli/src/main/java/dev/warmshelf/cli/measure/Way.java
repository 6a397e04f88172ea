package dev.warmshelf.cli.measure;

import java.sql.SQLException;
import java.util.OptionalDouble;

/** A way to read. Thread-safe. */
interface Way extends AutoCloseable {
  String name();

  /** Answers a request; what it brought is worked out later, off the clock. */
  Read read(Request request) throws SQLException;

  /** Reads that reached the database, by the way's own count, since it was made. */
  long databaseReads();

  /** Hits per lookup since the way was made; empty where nothing is kept. */
  OptionalDouble hitRatio();

  @Override
  void close();

  /** An answer whose content can be looked at. */
  interface Read {
    Seen seen();
  }
}
