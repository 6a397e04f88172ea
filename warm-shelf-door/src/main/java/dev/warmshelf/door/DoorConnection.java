package dev.warmshelf.door;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.base.Library;
import dev.warmshelf.caller.Bypass;
import dev.warmshelf.caller.ConnectionState;
import dev.warmshelf.caller.FollowedConnection;
import dev.warmshelf.caller.OpenTransactions;
import dev.warmshelf.caller.Over;
import dev.warmshelf.caller.OwnWrites;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.caller.Visibility;
import dev.warmshelf.database.OwnChanges;
import dev.warmshelf.database.Session;
import dev.warmshelf.delivery.OwnWrite;
import dev.warmshelf.engine.Asking;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.engine.KeptStatement;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.BypassReason;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.read.Balance;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.Scope;
import dev.warmshelf.statement.Analysis;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.List;
import java.util.Set;
import java.util.function.Supplier;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * One wrapped connection, as the shelves see it.
 *
 * <p><b>The rule.</b> A caller who holds a connection is answered from a shelf only if his session
 * is, as he asks, like those that answers are shared between, his transaction has written nothing,
 * and the next statement would see what has been committed last. What his session is like is known
 * from the server; it is asked again after each statement that is not certain to do nothing but
 * read. Who holds no connection is answered as one would be who is given a session like the others.
 */
final class DoorConnection extends FollowedConnection implements Dialogue {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  private final Engine engine;
  private final OpenTransactions.Standing standing;

  /** What the database was sent last, for whoever records; null if nobody is told of it. */
  private @Nullable Sent last;

  /** The read that is to be sent since its form stands down; null if none is. */
  private @Nullable Direct direct;

  /** The same, once it is sent. */
  private @Nullable Direct sentDirect;

  /** The transaction that is being committed, as far as it was asked what it has changed. */
  private @Nullable OwnWrite committing;

  /** A statement that only reads, on its way. */
  private record Sent(DoorStatement statement, Parameters bound, long atNanos) {}

  /** A read that the database answers, and what keeping answers is compared with by it. */
  private record Direct(DoorText text, Balance balance, long sinceNanos) {}

  DoorConnection(
      Door door, ConnectionState state, Supplier<? extends @Nullable Connection> holding) {
    super(door.engine().database(), state, holding);
    this.engine = door.engine();
    this.standing = engine.transactions().begin();
  }

  @Override
  public @Nullable Reading<Answer> read(StatementFacts facts, Parameters bound)
      throws SQLException {
    direct = null;
    if (engine.doorsAreShut()) {
      return null;
    }
    DoorText text = (DoorText) facts;
    DoorStatement asked = statement(text, bound);
    Observation computation = Observation.current();
    KeptStatement kept = asked == null ? null : asked.kept(kind());
    if (kept == null && asked != null && computation != null) {
      kept = asked.observed(kind());
    }
    if (kept == null) {
      return null;
    } else if (kept.needsReadOnly() && state().isInTransactionThatMayWrite()) {
      kept.shelf().meters().bypass(BypassReason.IN_TRANSACTION);
      return null;
    }
    Balance balance = kept.standingDown();
    if (balance != null) {
      kept.shelf().meters().bypass(BypassReason.STANDS_DOWN);
      direct = new Direct(text, balance, engine.time().nanos());
      return null;
    }
    Parameters own = bound.frozen();
    Asking asking = new Asking(kept, own.values(), (to, values, order) -> own.bind(to), this);
    text.adjust(asking);
    asking.asPartOf(computation);
    Reading<Answer> reading = asking.ifShared();
    if (reading != null) {
      text.isAnswered(reading.origin());
    }
    if (reading != null) {
      Observation.noted(reading);
    } else if (computation != null) {
      computation.cannotBeKept(asking.around() + ": " + text.shown());
    }
    return reading;
  }

  @Override
  public @Nullable Bypass around(Sessions.Kind kind) throws SQLException {
    Visibility standing = state().visibility();
    if (standing != Visibility.LIKE_OTHERS) {
      return Bypass.since(standing);
    }
    boolean like =
        held() == null ? !kind.isUnequal() && engine.sessions().allAreAlike() : isLike(kind);
    return like ? null : Bypass.because(BypassReason.UNEQUAL_SESSIONS);
  }

  /** Whoever holds a connection may have result sets open on it, so that it asks nothing else. */
  @Override
  public Over over() {
    return held() == null ? Over.Plain.ANY : Over.Plain.NONE;
  }

  @Override
  public void saw(Session session, Sessions.Kind kind) {
    note(session, kind);
  }

  @Override
  public boolean isLike(Sessions.Kind kind) throws SQLException {
    boolean wasSeen = seen() != null;
    boolean like = super.isLike(kind);
    Session session = seen();
    Connection held = held();
    if (like && !wasSeen && held != null) {
      engine.sessions().isLikeOthers(engine.database().physical(held));
    }
    return like && session != null && !(session.keepsSnapshot() && !state().isAutoCommit());
  }

  @Override
  public void sends(boolean onlyReads) {
    if (!onlyReads) {
      super.sends(false);
    }
  }

  @Override
  public void sends(@Nullable StatementFacts facts, @Nullable Parameters bound) {
    DoorText text = (DoorText) facts;
    if (text != null) {
      text.isAnswered(Origin.DIRECT);
    }
    DoorStatement sending = text == null || bound == null ? null : statement(text, bound);
    Analysis analysis = sending == null ? null : analysis(sending);
    boolean onlyReads = analysis != null && analysis.onlyReads();
    isReadPast(text == null ? "" : ": " + text.shown());
    last = null;
    Direct asked = direct;
    sentDirect = asked != null && asked.text() == text ? asked : null;
    direct = null;
    if (onlyReads && sending != null && bound != null && engine.around().isOn()) {
      last = new Sent(sending, bound, engine.time().nanos());
    }
    if (!onlyReads) {
      Set<Lane> written = analysis == null ? null : analysis.written();
      changes(written);
      sends(false);
    }
  }

  @Override
  public void readsOtherwise() {
    isReadPast("");
  }

  @Override
  public void hasFailed(Throwable why) {
    engine.doorHasFailed(why);
  }

  @Override
  public void isHandedOut() {
    isReadPast("");
    super.isHandedOut();
    standing.is(this, state().isOpen());
  }

  private @Nullable Analysis analysis(DoorStatement sending) {
    try {
      return sending.analysis(kind());
    } catch (SQLException e) {
      LOG.debug("What a statement does is not known, and taken for the worst.", e);
      return null;
    }
  }

  @Override
  public void answered() {
    Direct read = sentDirect;
    if (read != null) {
      sentDirect = null;
      read.balance().wasDirect(engine.time().nanos() - read.sinceNanos());
    }
    Sent what = last;
    if (what != null) {
      last = null;
      try {
        long took = engine.time().nanos() - what.atNanos();
        what.statement().wasAnswered(what.bound().values(), kind(), took);
      } catch (SQLException e) {
        LOG.debug("A statement is left out of what is recorded.", e);
      }
    }
  }

  private static @Nullable DoorStatement statement(DoorText text, Parameters bound) {
    List<String> types = bound.types();
    return types == null ? null : text.bound(types, bound.zone());
  }

  @Override
  public void commits() {
    Connection held = held();
    OwnWrites ownWrites = engine.ownWrites();
    OwnChanges.Told told =
        held != null && state().mayHaveWritten() && state().isOpen()
            ? ownWrites.ask(this, held)
            : null;
    if (told != null) {
      OwnWrite write = new OwnWrite(told.transaction(), Footprint.NOTHING, 0, told.changes());
      ownWrites.announce(write);
      committing = write;
    }
  }

  @Override
  public void commitHasFailed() {
    OwnWrite write = committing;
    committing = null;
    if (write != null) {
      engine.ownWrites().forget(write);
    }
  }

  @Override
  public void sent() {
    boolean hasCommitted = !state().isOpen() && state().mayHaveWritten();
    if (hasCommitted) {
      state().ended();
      OwnWrite write = committing;
      committing = null;
      engine.ownWrites().committed(named(), write);
      Scope.noteCommit();
    }
    if (!state().isOpen()) {
      standing.isOver(hasCommitted);
    }
    standing.is(this, state().isOpen());
  }

  /** Whoever is given it next must not be answered as if it were like the others. */
  @Override
  public boolean givesBack() {
    Connection held = held();
    if (held == null || !mayBeAltered()) {
      return false;
    }
    try {
      return state().isOpen() || !isLike(kind());
    } catch (SQLException e) {
      LOG.debug("A connection that is given back cannot be asked what it is like.", e);
      return true;
    }
  }

  @Override
  public void isGivenBack() {
    standing.isOver(false);
  }

  private Sessions.Kind kind() throws SQLException {
    return engine.sessions().current(held());
  }
}
