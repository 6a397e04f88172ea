package dev.warmshelf.door;

import dev.warmshelf.caller.ConnectionState;
import dev.warmshelf.caller.Waits;
import java.sql.Connection;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;

/** What wrapped connections ask of the shelves. Thread-safe. */
public interface Shelves {
  /** What is known of a statement's text. Cheap for one that was seen before. Asks nobody. */
  StatementFacts facts(String sql);

  /**
   * Begins to answer for one connection.
   *
   * @param state of the connection
   * @param held gives the database's connection, or null as long as none is held
   */
  Dialogue begin(ConnectionState state, Supplier<? extends @Nullable Connection> held);

  /** Result sets of kept answers cannot be shown with the driver at hand: none may be. */
  void doNotFit(LinkageError why);

  /** How long connections of the data source beneath are waited for. */
  Waits waits();

  /**
   * A connection of the driver's, whose session may be unlike others', is about to be given back.
   * If that does not close it, a pool may give it to anybody.
   */
  void isAtLarge(Connection physical);
}
