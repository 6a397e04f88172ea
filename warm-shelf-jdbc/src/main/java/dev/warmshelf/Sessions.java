package dev.warmshelf;

import dev.warmshelf.postgres.Session;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.Collections;
import java.util.Map;
import java.util.WeakHashMap;

/**
 * Whether a connection of the data source is like the one that was asked at the start: the same
 * database, role, search path, time zone and styles. What one that differs answers is not shared.
 *
 * <p>Each physical connection is asked once. A program that changes such a setting on a pooled
 * connection and leaves it changed is not noticed.
 *
 * <p>Thread-safe.
 */
final class Sessions {
  private final Session expected;
  private final Map<Connection, Boolean> known = Collections.synchronizedMap(new WeakHashMap<>());

  Sessions(Session expected) {
    this.expected = expected;
  }

  String ambient() {
    return expected.ambient();
  }

  boolean isAsExpected(Connection connection) throws SQLException {
    Connection physical = connection.unwrap(Connection.class);
    Boolean same = known.get(physical);
    if (same == null) {
      same = Session.of(connection).equals(expected);
      known.put(physical, same);
    }
    return same;
  }
}
