package dev.warmshelf;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.base.Library;
import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.caller.Caller;
import dev.warmshelf.caller.ConnectionState;
import dev.warmshelf.caller.FollowedConnection;
import dev.warmshelf.caller.OpenTransactions;
import dev.warmshelf.caller.OwnWrites;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.caller.Visibility;
import dev.warmshelf.database.OwnChanges;
import dev.warmshelf.delivery.OwnWrite;
import dev.warmshelf.engine.Asking;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Scope;
import dev.warmshelf.verdict.Verdicts;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A transaction run through the library, for use by the one thread that runs it.
 *
 * <p>What it writes becomes known to the board after its commit has returned and before its caller
 * is answered. What it reads after it has written, or from a snapshot of its own, nobody else gets.
 */
public final class Transaction {
  private static final Logger LOG = LoggerFactory.getLogger(Transaction.class);
  private static final String NAME =
      "SELECT pg_catalog.pg_current_xact_id_if_assigned()::pg_catalog.text";

  private final Engine engine;
  private final Connection connection;
  private final ConnectionState state;
  private final FollowedConnection followed;
  private final OpenTransactions.Standing standing;

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

  private Transaction(Engine engine, Connection connection) throws SQLException {
    this.engine = engine;
    this.connection = connection;
    this.state = new ConnectionState(false, connection.getTransactionIsolation());
    this.followed = new FollowedConnection(engine.database(), state, () -> connection);
    this.standing = engine.transactions().begin();
    standing.is(followed, true);
  }

  static <V extends @Nullable Object> V run(Engine engine, Work<V> work) throws SQLException {
    try (Borrowed borrowed = Borrowed.from(engine.source()).autoCommit(false)) {
      Transaction transaction = new Transaction(engine, borrowed.connection());
      V result;
      try {
        result = work.in(transaction);
      } catch (Throwable e) {
        rollBack(borrowed, e);
        transaction.standing.isOver(false);
        throw e;
      }
      try {
        transaction.commit();
      } catch (Throwable e) {
        rollBack(borrowed, e);
        throw e;
      } finally {
        transaction.standing.isOver(true);
      }
      transaction.endIfAltered(borrowed);
      return result;
    }
  }

  /**
   * A connection whose session was altered for good must not be given to somebody who is answered
   * as if it were like the others. A rollback undoes what was set.
   */
  private void endIfAltered(Borrowed borrowed) {
    if (!followed.mayBeAltered()) {
      return;
    }
    boolean like = false;
    try {
      Sessions.Kind kind = engine.sessions().current(connection);
      like = kind.isUnequal() || followed.isLike(kind);
    } catch (SQLException e) {
      LOG.debug("a connection that is given back cannot be asked what it is like", e);
    }
    if (!like) {
      borrowed.spoil();
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
    return new Write(engine, engine.statement(sql), this);
  }

  /**
   * The connection itself, for statements that the library does not offer. From now on nothing that
   * is read in the transaction is shared, and without a feed the commit invalidates everything. To
   * be neither committed, nor rolled back, nor closed.
   */
  public Connection connection() {
    FollowedConnection.isReadPast("");
    followed.isHandedOut();
    standing.is(followed, true);
    kept.clear();
    return connection;
  }

  /** Who asks the questions that are asked in it. */
  Caller caller() {
    return followed;
  }

  int run(Write write) throws SQLException {
    kept.clear(); // made stale by what comes now, perhaps
    FollowedConnection.isReadPast(": " + write.statement().text());
    note(write);
    for (Write.Replacement replacement : write.replacements()) {
      replacement.question().askVerdict(followed); // as long as that can be
    }
    followed.sends(false);
    standing.is(followed, true);
    for (Write.Replacement replacement : write.replacements()) {
      replacement.question().shelf().takesValues();
    }
    Fence fence = engine.shelf(Library.MAIN_SHELF).fence();
    Write.Outcome outcome = write.send(connection);
    if (!write.replacements().isEmpty()
        && outcome.rows() > 0
        && followed.isLike(engine.sessions().current(connection))
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
    Asking question = replacement.question();
    if (answer != null) {
      Optional<Footprint> footprint = question.footprintOf(answer, followed);
      Key key = question.key(engine.sessions().current(connection));
      footprint.ifPresent(lanes -> kept.add(new Kept(replacement, key, answer, lanes, fence)));
    }
  }

  /**
   * Which tables a statement names: without a feed they are what has changed; where a transaction
   * can be asked they tell that it is one statement, after which that is still the same.
   */
  private void note(Write write) throws SQLException {
    if (engine.ownWrites().needNames()) {
      Verdicts.Known known =
          engine
              .verdicts()
              .known(
                  write.statement(),
                  write.text(),
                  engine.sessions().current(connection),
                  followed.over());
      followed.changes(known == null ? null : known.analysis().written());
    }
  }

  private void commit() throws SQLException {
    OwnWrites ownWrites = engine.ownWrites();
    OwnChanges.Told told = state.mayHaveWritten() ? ownWrites.ask(followed, connection) : null;
    OwnWrite write = announced(told);
    try {
      connection.commit();
    } catch (SQLException e) {
      // It may have happened all the same: the answer to a commit can get lost.
      ownWrites.perhapsCommitted(write);
      throw e;
    }
    if (!state.mayHaveWritten()) {
      return;
    }
    long own = ownWrites.committed(followed.named(), write);
    Scope.noteCommit();
    if (write != null) {
      for (Kept one : kept) {
        Asking question = one.replacement().question();
        AnswerShelf shelf = question.shelf();
        shelf.writeThrough(
            one.key(), one.answer(), one.footprint(), one.fence(), own, one.replacement().mode());
      }
    }
  }

  /** What the feed is to know of the transaction before its commit; null if that is nothing. */
  private @Nullable OwnWrite announced(OwnChanges.@Nullable Told told) throws SQLException {
    if (kept.isEmpty() && told == null) {
      return null;
    }
    String name = told == null ? name() : told.transaction();
    if (name.isEmpty() && engine.ownWrites().haveFeed()) {
      kept.clear(); // it has changed nothing
      if (told == null) {
        return null;
      }
    }
    List<Lane> lanes = new ArrayList<>();
    kept.forEach(one -> lanes.addAll(one.footprint().lanes()));
    OwnWrite write =
        new OwnWrite(
            name,
            Footprint.of(lanes),
            kept.isEmpty() ? 0 : kept.get(0).fence().tick(),
            told == null ? null : told.changes());
    engine.ownWrites().announce(write);
    return write;
  }

  /** As the database calls it; empty if it has changed nothing, or no feed is there to know it. */
  private String name() throws SQLException {
    if (!engine.ownWrites().haveFeed()) {
      return "";
    }
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(NAME)) {
      row.next();
      return Objects.requireNonNullElse(row.getString(1), "");
    }
  }
}
