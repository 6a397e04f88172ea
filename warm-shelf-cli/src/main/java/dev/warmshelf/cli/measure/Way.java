package dev.warmshelf.cli.measure;

import dev.warmshelf.shelf.Origin;
import java.sql.SQLException;
import java.util.OptionalDouble;
import java.util.function.Supplier;

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
    /** Where it came from. */
    Origin origin();

    Seen seen();

    /**
     * @param seen works out what was seen, when it is asked for
     */
    static Read of(Origin origin, Supplier<Seen> seen) {
      return new Read() {
        @Override
        public Origin origin() {
          return origin;
        }

        @Override
        public Seen seen() {
          return seen.get();
        }
      };
    }
  }
}
