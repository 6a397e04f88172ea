package dev.warmshelf.journal;

import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.concurrent.TimeUnit;
import org.postgresql.PGConnection;

/**
 * Waits for {@code NOTIFY} on the reader's own connection. Only to look sooner: what has changed is
 * told by the look, so a notification that gets lost costs time and nothing else.
 */
final class NotificationWait {
  /** A caller that hurries cannot wake the driver, so it is asked this often at least. */
  private static final int SLICE_MILLIS = 5;

  private final PGConnection connection;
  private volatile boolean interrupted;

  private NotificationWait(PGConnection connection) {
    this.connection = connection;
  }

  static NotificationWait listen(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("LISTEN warm_shelf");
    }
    return new NotificationWait(connection.unwrap(PGConnection.class));
  }

  /** Has the wait that goes on, or the next one, end early. */
  void interrupt() {
    interrupted = true;
  }

  /** Waits for a notification, for so long at most. */
  void await(long nanos) throws SQLException {
    long deadline = System.nanoTime() + nanos;
    long left = nanos;
    while (left > 0 && !interrupted) {
      int millis = (int) Math.min(SLICE_MILLIS, Math.max(1, TimeUnit.NANOSECONDS.toMillis(left)));
      if (connection.getNotifications(millis).length > 0) {
        break;
      }
      left = deadline - System.nanoTime();
    }
    interrupted = false;
  }
}
