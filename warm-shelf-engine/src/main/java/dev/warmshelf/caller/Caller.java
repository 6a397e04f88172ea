package dev.warmshelf.caller;

import dev.warmshelf.database.Session;
import dev.warmshelf.meter.BypassReason;
import java.sql.Connection;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** Who asks a question: somebody who holds a connection that it must be asked on, or anybody. */
public interface Caller {
  /** Somebody who holds none: the question may be asked on any connection of the data source. */
  Caller ANYBODY =
      new Caller() {
        @Override
        public @Nullable Connection held() {
          return null;
        }

        @Override
        public @Nullable Bypass around(Sessions.Kind kind) {
          return kind.isUnequal() ? Bypass.because(BypassReason.UNEQUAL_SESSIONS) : null;
        }

        @Override
        public Over over() {
          return Over.Plain.ANY;
        }
      };

  /** The connection that questions must be asked on; null if it may be any. */
  @Nullable Connection held();

  /**
   * Why the caller's questions bypass the shelf, whatever they are; null if that depends on what
   * they are. May ask the server what the session is like.
   */
  @Nullable Bypass around(Sessions.Kind kind) throws SQLException;

  /** How the database may be asked about a statement. */
  Over over();

  /** A statement is about to be sent on the caller's connection. */
  default void sends(boolean onlyReads) {}

  /** What the server has said of the session, after a statement. */
  default void saw(Session session, Sessions.Kind kind) {}

  /** A statement was sent that said nothing of the session. */
  default void learn(Sessions sessions) throws SQLException {}
}
