package dev.warmshelf;

import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.session.Visibility;
import java.sql.Connection;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;
import org.postgresql.core.BaseConnection;
import org.postgresql.core.TransactionState;

/** A caller's connection of which nothing is known: the server is asked each time. */
record CallersConnection(Connection held) implements Caller {
  @Override
  public @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    Session session = Session.of(held);
    if (session.hasWritten()) {
      return Bypass.since(Visibility.OWN_WRITES);
    } else if (session.keepsSnapshot() && mayBeWithin()) {
      return Bypass.since(Visibility.OLD_SNAPSHOT);
    }
    return session.reads(kind.ambient()) ? null : Bypass.because(BypassReason.UNEQUAL_SESSIONS);
  }

  /**
   * Whether a transaction may be open: one can be begun by a statement as well, which the driver
   * knows, and auto-commit does not tell.
   */
  private boolean mayBeWithin() throws SQLException {
    return !held.getAutoCommit()
        || !held.isWrapperFor(BaseConnection.class)
        || held.unwrap(BaseConnection.class).getTransactionState() != TransactionState.IDLE;
  }

  @Override
  public Verdicts.Over over() {
    return new Verdicts.Over.Callers(held);
  }
}
