package dev.warmshelf.database;

import dev.warmshelf.lane.Change;
import java.sql.Connection;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A feed that can ask a transaction of this process what it has changed, before it commits. Nobody
 * has to wait then until the feed has met its changes. Thread-safe.
 */
public interface OwnChanges {
  /**
   * What the transaction on a connection has changed, as the feed will tell it. Whatever comes of
   * the asking, the transaction is afterwards what it was, but that its deferred constraints have
   * been checked, and its deferred triggers have run.
   *
   * @param connection with a transaction open that has not failed, neither serializable nor begun
   *     by anybody but the program that holds it; to be committed next
   * @return null if the feed alone can tell
   */
  @Nullable Told ask(Connection connection);

  /**
   * What a transaction has changed.
   *
   * @param transaction its name, as {@link Change#transaction()} has it; empty if it has changed
   *     nothing at all
   * @param changes all of tables that are followed
   */
  record Told(String transaction, List<Change> changes) {
    /** Keeps a copy. */
    public Told {
      changes = List.copyOf(changes);
    }
  }
}
