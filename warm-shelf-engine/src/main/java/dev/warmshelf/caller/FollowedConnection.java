package dev.warmshelf.caller;

import dev.warmshelf.database.Database;
import dev.warmshelf.database.Session;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.Scope;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.HashSet;
import java.util.Set;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;

/**
 * A connection of which all is known that was done on it, and what its session was like when the
 * server last said so. Not thread-safe, like the connection.
 */
public class FollowedConnection implements Caller {
  private final Database database;
  private final ConnectionState state;
  private final Supplier<? extends @Nullable Connection> holding;

  /** What the session was like when it was last asked; null if that must be asked again. */
  private @Nullable Session seen;

  /**
   * Whether the session may be unlike others': it was seen to be, or something was sent since that
   * may have altered it, be it by a trigger. Only a look that finds it like them says that it is
   * not.
   */
  private boolean mayBeAltered;

  /** The tables that the statements name as changed; null once that is not certain. */
  private @Nullable Set<Lane> named = new HashSet<>();

  /**
   * @param holding gives the connection, or null as long as there is none
   */
  public FollowedConnection(
      Database database, ConnectionState state, Supplier<? extends @Nullable Connection> holding) {
    this.database = database;
    this.state = state;
    this.holding = holding;
  }

  @Override
  public @Nullable Connection held() {
    return holding.get();
  }

  /** What its connection is like is known from its loads, or must be asked now. */
  @Override
  public @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    Visibility standing = state.visibility();
    if (standing != Visibility.LIKE_OTHERS) {
      return Bypass.since(standing);
    }
    return kind.isUnequal() && !isLike(kind) ? Bypass.because(BypassReason.UNEQUAL_SESSIONS) : null;
  }

  /**
   * Over this connection as long as nothing has been done on it that an end of the transaction
   * would undo or show.
   */
  @Override
  public Over over() {
    Connection held = held();
    return held != null && state.visibility() == Visibility.LIKE_OTHERS
        ? new Over.Held(held)
        : Over.Plain.NONE;
  }

  @Override
  public void sends(boolean onlyReads) {
    if (!onlyReads) {
      state.hasWritten();
      mayBeAltered = true;
    }
    seen = null;
  }

  /**
   * A statement is about to be sent that may change data.
   *
   * @param tables that it names as changed; null if that is not certain
   */
  public final void changes(@Nullable Set<Lane> tables) {
    Set<Lane> sofar = named;
    if (tables == null || tables.isEmpty()) {
      named = null;
    } else if (sofar != null) {
      sofar.addAll(tables);
    }
  }

  /** The tables that have been named as changed since this was asked last. */
  public final @Nullable Set<Lane> named() {
    Set<Lane> all = named;
    named = new HashSet<>();
    return all;
  }

  /**
   * Whether all that was sent since the last commit is known to be one transaction that is open,
   * can be asked something more, and makes no promise about what that reads: no text that nobody
   * could analyse has been sent, which might have committed.
   */
  public final boolean isAllInOneTransaction() {
    return named != null
        && !state.isAutoCommit()
        && state.isolation() < Connection.TRANSACTION_SERIALIZABLE
        && state.visibility() != Visibility.ALTERED
        && state.visibility() != Visibility.FAILED;
  }

  @Override
  public void saw(Session session, Sessions.Kind kind) {
    note(session, kind);
    if (mayBeAltered) {
      state.isAltered();
    }
  }

  /** What the server has said, after all that was sent. */
  public final void note(Session session, Sessions.Kind kind) {
    seen = session;
    mayBeAltered = !session.reads(kind.ambient());
    if (session.hasWritten()) {
      state.hasWritten();
    } else {
      state.hasNotWritten();
    }
  }

  /** Whether the session may be unlike others', as far as is known without asking. */
  public final boolean mayBeAltered() {
    return mayBeAltered;
  }

  @Override
  public void learn(Sessions sessions) throws SQLException {
    if (state.visibility() == Visibility.LIKE_OTHERS) {
      isLike(sessions.current(held()));
    }
  }

  /** Whether it answers as others of its kind do; asks the server if it must. */
  public boolean isLike(Sessions.Kind kind) throws SQLException {
    return hasSessionOf(kind);
  }

  /** Whether the session is like others of its kind; asks the server if it must. */
  public final boolean hasSessionOf(Sessions.Kind kind) throws SQLException {
    Session known = seen;
    if (known == null) {
      Connection held = held();
      if (held == null) {
        return false;
      }
      known = database.session(held);
      saw(known, kind);
    }
    return known.reads(kind.ambient());
  }

  /**
   * Something is read or written that no footprint tells of: no computation's result can stand on
   * it, and nobody knows of what moment it is.
   *
   * @param what it is, in words, after a colon; may be empty
   */
  public static void isReadPast(String what) {
    Observation computation = Observation.current();
    if (computation != null) {
      computation.cannotBeKept("a statement was sent past the shelves" + what);
    }
    Scope.noteBypass();
  }

  /** Statements are sent on it that nobody tells of. */
  public void isHandedOut() {
    state.isHandedOut();
    mayBeAltered = true;
    seen = null;
    named = null;
  }

  public final ConnectionState state() {
    return state;
  }

  public final @Nullable Session seen() {
    return seen;
  }
}
