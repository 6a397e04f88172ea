package dev.warmshelf;

import dev.warmshelf.feed.OwnWrite;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Footprint;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.row.Answer;
import dev.warmshelf.session.Borrowed;
import dev.warmshelf.session.ConnectionState;
import dev.warmshelf.session.Visibility;
import dev.warmshelf.shelf.Shelf;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A transaction run through the library, for use by the one thread that runs it.
 *
 * <p>What it writes becomes known to the board after its commit has returned and before its caller
 * is answered. What it reads after it has written, or from a snapshot of its own, nobody else gets.
 */
public final class Transaction {
  private static final String NAME = "SELECT pg_current_xact_id_if_assigned()::text";

  private final WarmShelf warm;
  private final Connection connection;
  private final ConnectionState state;

  /** What the session was like when it was last asked; null if that must be asked again. */
  private @Nullable Session seen;

  /** The tables that the statements name; null once that is not certain. */
  private @Nullable Set<Lane> named = new HashSet<>();

  private final List<Kept> kept = new ArrayList<>();

  /** An answer to be kept after the commit, and the fence from before its statement. */
  private record Kept(
      Write.Replacement replacement, Key key, Answer answer, Footprint footprint, Fence fence) {}

  /**
   * Work to do in a transaction.
   *
   * @param <V> what it gives
   */
  @FunctionalInterface
  public interface Work<V extends @Nullable Object> {
    /**
     * Does it.
     *
     * @throws SQLException if the database fails; the transaction is rolled back then
     */
    V in(Transaction transaction) throws SQLException;
  }

  private Transaction(WarmShelf warm, Connection connection) throws SQLException {
    this.warm = warm;
    this.connection = connection;
    this.state = new ConnectionState(false, connection.getTransactionIsolation());
  }

  static <V extends @Nullable Object> V run(WarmShelf warm, Work<V> work) throws SQLException {
    try (Borrowed borrowed = Borrowed.from(warm.dataSource()).autoCommit(false)) {
      Transaction transaction = new Transaction(warm, borrowed.connection());
      V result;
      try {
        result = work.in(transaction);
      } catch (Throwable e) {
        rollBack(borrowed, e);
        throw e;
      }
      try {
        transaction.commit();
      } catch (Throwable e) {
        rollBack(borrowed, e);
        throw e;
      }
      return result;
    }
  }

  /**
   * A connection that will not roll back must not live on: what failed could still be committed.
   */
  private static void rollBack(Borrowed borrowed, Throwable cause) {
    try {
      borrowed.connection().rollback();
    } catch (SQLException e) {
      cause.addSuppressed(e);
      borrowed.spoil();
    }
  }

  /** Begins a write in this transaction. */
  public Write write(String sql) {
    return new Write(warm, warm.statement(sql), this);
  }

  /**
   * The connection itself, for statements that the library does not offer. From now on nothing that
   * is read in the transaction is shared, and without a feed the commit invalidates everything. To
   * be neither committed, nor rolled back, nor closed.
   */
  public Connection connection() {
    state.isHandedOut();
    seen = null;
    named = null;
    kept.clear();
    return connection;
  }

  Visibility visibility() {
    return state.visibility();
  }

  /** The connection, for questions about the session and the catalogue. */
  Connection held() {
    return connection;
  }

  /** A statement is about to be sent. */
  void sends(boolean onlyReads) {
    if (!onlyReads) {
      state.hasWritten();
    }
    seen = null;
  }

  /**
   * How the database can be asked about a statement: over this connection as long as nothing has
   * been done on it that an end of the transaction would undo or show.
   */
  Verdicts.Over over() {
    return state.visibility() == Visibility.LIKE_OTHERS
        ? new Verdicts.Over.Held(connection)
        : Verdicts.NONE;
  }

  /** What the server has said of the session, after a statement. */
  void saw(Session session, Sessions.Kind kind) {
    seen = session;
    if (session.hasWritten()) {
      state.hasWritten();
    }
    if (!session.reads(kind.ambient())) {
      state.isAltered();
    }
  }

  /** Whether the session is like others of its kind; asks the server if it must. */
  boolean isLike(Sessions.Kind kind) throws SQLException {
    Session known = seen;
    if (known == null) {
      known = Session.of(connection);
      saw(known, kind);
    }
    return known.reads(kind.ambient());
  }

  /** Reads for this transaction alone, and asks what became of the session thereby. */
  Answer readAlone(QueryLoader loading, @Nullable Object[] values, boolean onlyReads)
      throws SQLException {
    sends(onlyReads);
    Answer answer = loading.alone(connection, values);
    if (state.visibility() == Visibility.LIKE_OTHERS) {
      isLike(warm.sessions().current(connection));
    }
    return answer;
  }

  int run(Write write) throws SQLException {
    kept.clear(); // made stale by what comes now, perhaps
    note(write);
    for (Write.Replacement replacement : write.replacements()) {
      replacement.question().askVerdict(this); // as long as that can be
    }
    sends(false);
    Fence fence = warm.shelf(WarmShelf.MAIN_SHELF).fence();
    Write.Outcome outcome = write.send(connection);
    if (!write.replacements().isEmpty()
        && outcome.rows() > 0
        && isLike(warm.sessions().current(connection))
        && state.visibility() != Visibility.ALTERED) {
      for (Write.Replacement replacement : write.replacements()) {
        prepare(replacement, outcome, fence);
      }
    }
    return outcome.rows();
  }

  private void prepare(Write.Replacement replacement, Write.Outcome outcome, Fence fence)
      throws SQLException {
    Answer answer = replacement.given() == null ? outcome.returned() : replacement.given();
    Question<?> question = replacement.question();
    if (answer != null) {
      Optional<Footprint> footprint = question.footprintOf(answer, this);
      Key key = question.key(warm.sessions().current(connection));
      footprint.ifPresent(lanes -> kept.add(new Kept(replacement, key, answer, lanes, fence)));
    }
  }

  /** Only without a feed does it matter which tables a statement names. */
  private void note(Write write) throws SQLException {
    Set<Lane> sofar = named;
    if (sofar != null && !warm.ownWrites().haveFeed()) {
      Verdicts.Known known =
          warm.verdicts()
              .known(write.statement(), write.text(), warm.sessions().current(connection), over());
      Set<Lane> more = known == null ? null : known.analysis().written();
      if (more == null || more.isEmpty()) {
        named = null;
      } else {
        sofar.addAll(more);
      }
    }
  }

  private void commit() throws SQLException {
    OwnWrite write = kept.isEmpty() ? null : announce();
    try {
      connection.commit();
    } catch (SQLException e) {
      // It may have happened all the same: the answer to a commit can get lost.
      warm.ownWrites().committed(null, write);
      throw e;
    }
    if (!state.mayHaveWritten()) {
      return;
    }
    long own = warm.ownWrites().committed(named, write);
    if (write != null) {
      for (Kept one : kept) {
        Question<?> question = one.replacement().question();
        Shelf shelf = question.query().shelf();
        shelf.writeThrough(
            one.key(), one.answer(), one.footprint(), one.fence(), own, one.replacement().mode());
      }
    }
  }

  private @Nullable OwnWrite announce() throws SQLException {
    String name = null;
    if (warm.ownWrites().haveFeed()) {
      try (Statement statement = connection.createStatement();
          ResultSet row = statement.executeQuery(NAME)) {
        row.next();
        name = row.getString(1);
      }
      if (name == null) {
        kept.clear(); // it has changed nothing
        return null;
      }
    }
    List<Lane> lanes = new ArrayList<>();
    kept.forEach(one -> lanes.addAll(one.footprint().lanes()));
    OwnWrite write =
        new OwnWrite(name == null ? "" : name, Footprint.of(lanes), kept.get(0).fence().tick());
    warm.ownWrites().announce(write);
    return write;
  }
}
