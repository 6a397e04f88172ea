package dev.warmshelf;

import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.session.Visibility;
import java.sql.Connection;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** A caller's connection of which nothing is known: the server is asked each time. */
record CallersConnection(Connection held) implements Caller {
  @Override
  public @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    Session session = Session.of(held);
    if (session.hasWritten()) {
      return Bypass.since(Visibility.OWN_WRITES);
    } else if (session.keepsSnapshot() && !held.getAutoCommit()) {
      return Bypass.since(Visibility.OLD_SNAPSHOT);
    }
    return session.reads(kind.ambient()) ? null : Bypass.because(BypassReason.UNEQUAL_SESSIONS);
  }

  @Override
  public Verdicts.Over over() {
    return new Verdicts.Over.Callers(held);
  }
}
