package dev.warmshelf.caller;

import dev.warmshelf.database.Database;
import dev.warmshelf.database.Session;
import dev.warmshelf.meter.BypassReason;
import java.sql.Connection;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** A caller's connection of which nothing is known: the server is asked each time. */
public record CallersConnection(Connection held, Database database) implements Caller {
  @Override
  public @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    Session session = database.session(held);
    if (session.hasWritten()) {
      return Bypass.since(Visibility.OWN_WRITES);
    } else if (session.keepsSnapshot() && database.mayBeWithin(held)) {
      return Bypass.since(Visibility.OLD_SNAPSHOT);
    }
    return session.reads(kind.ambient()) ? null : Bypass.because(BypassReason.UNEQUAL_SESSIONS);
  }

  @Override
  public Over over() {
    return new Over.Callers(held);
  }
}
