package dev.warmshelf.measure.run;

import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.text.DatabaseErrors;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.Requests;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.trial.CommitLedger;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.concurrent.locks.LockSupport;
import java.util.function.BooleanSupplier;
import java.util.function.LongSupplier;
import org.HdrHistogram.Histogram;
import org.jspecify.annotations.Nullable;

/**
 * An {@link Asker} that is a thread. For one thread at a time.
 *
 * <p>In an open loop a request is due at its own moment, whatever has become of those before it,
 * and its latency counts from then: a stall shows in every request that it delayed, not only in the
 * one that met it (the omission that Gil Tene named "coordinated", "How NOT to Measure Latency",
 * 2013). A round's requests are asked even after its time is over; once it has taken {@value
 * #ROUNDS_OF_PATIENCE} times its time, the rest is noted with the time it has waited, and not
 * asked.
 *
 * <p>Staleness is judged off the clock, and for an answer that is served again only if something
 * has been committed since. While a commit is under way the judgement waits.
 */
final class Reader implements Asker {
  static final int ROUNDS_OF_PATIENCE = 3;
  private static final long SPIN_NANOS = 200_000;
  private static final int ANSWERS_REMEMBERED = 10_000;

  private final Way way;
  private final Requests stream;
  private final CommitLedger<VersionedThing> ledger;
  private final LongSupplier clock;
  private final boolean paced;
  private final boolean passesOverErrors;
  private final IdentityHashMap<List<?>, Known> known = new IdentityHashMap<>();
  private final List<Unjudged> unjudged = new ArrayList<>();
  private Tally tally = new Tally();
  private Requests.@Nullable Paced pending;
  private long pendingDue;
  private boolean atEnd;

  /** What a reader has noted since it was asked last. */
  static final class Tally {
    final Histogram latency = new Histogram(3);
    final Map<String, QueryFigures> queries = new HashMap<>();
    final List<Stale> stale = new ArrayList<>();
    long hits;
    long lookups;
    long notAsked;
    long refused;
  }

  /** A read that missed a commit. */
  record Stale(String query, long ageNanos, BooleanSupplier invalidated) {}

  /**
   * What is known of an answer.
   *
   * @param sequence the ledger's, when this was found out
   */
  private record Known(
      Map<VersionedThing, Long> versions, long sequence, OptionalLong firstMissed) {}

  private record Unjudged(Request request, Way.Read read, long began) {}

  /**
   * @param clock the monotonic one, in nanoseconds
   * @param paced whether requests are asked when they are due; otherwise as fast as can be
   * @param passesOverErrors whether what the database refuses is counted, and no more
   */
  Reader(
      Way way,
      Requests stream,
      CommitLedger<VersionedThing> ledger,
      LongSupplier clock,
      boolean paced,
      boolean passesOverErrors) {
    this.passesOverErrors = passesOverErrors;
    this.clock = clock;
    this.paced = paced;
    this.way = way;
    this.stream = stream;
    this.ledger = ledger;
  }

  @Override
  public boolean isAtEnd() {
    return atEnd;
  }

  @Override
  public void round(long began, long nanos, BooleanSupplier stopped) throws SQLException {
    if (paced) {
      readPaced(began, began + nanos, stopped);
    } else {
      readUntil(began + nanos, stopped);
    }
  }

  /** As fast as it can, until a moment. */
  void readUntil(long until, BooleanSupplier stopped) throws SQLException {
    while (clock.getAsLong() < until && !stopped.getAsBoolean()) {
      Requests.Paced paced = stream.next();
      if (paced == null) {
        atEnd = true;
        return;
      }
      long began = clock.getAsLong();
      read(paced.request(), began, began);
    }
  }

  /** Each request when it is due, for those due in a round. */
  void readPaced(long roundBegan, long until, BooleanSupplier stopped) throws SQLException {
    long patience = roundBegan + ROUNDS_OF_PATIENCE * (until - roundBegan);
    if (pending == null) {
      pull();
    }
    Requests.Paced paced = pending;
    long due = roundBegan + pendingDue;
    while (paced != null && due < until && !stopped.getAsBoolean()) {
      long now = await(due);
      if (now < patience) {
        read(paced.request(), due, now);
      } else {
        tally.latency.recordValue(now - due);
        tally.notAsked++;
      }
      pull();
      paced = pending;
      due += pendingDue;
    }
    if (paced != null && !stopped.getAsBoolean()) {
      await(until); // a round in which little is due takes its time all the same
    }
    pendingDue = due - until;
  }

  private void pull() {
    pending = stream.next();
    atEnd = pending == null;
    pendingDue = pending == null ? 0 : pending.gapNanos();
  }

  @Override
  public Tally take() {
    Tally taken = tally;
    tally = new Tally();
    return taken;
  }

  @Override
  public void forget() {
    unjudged.clear();
    tally = new Tally();
  }

  @Override
  public void judgeTheRest() {
    unjudged.forEach(each -> judge(each.request(), each.read(), each.began()));
    unjudged.clear();
  }

  private void read(Request request, long due, long began) throws SQLException {
    Way.Read read;
    try {
      read = way.read(request);
    } catch (SQLException e) {
      if (!passesOverErrors || !DatabaseErrors.isOfStatement(e)) {
        throw e;
      }
      tally.refused++;
      return;
    }
    long ended = clock.getAsLong();
    tally.latency.recordValue(ended - due);
    tally
        .queries
        .computeIfAbsent(request.query().label(), label -> new QueryFigures())
        .add(read.origin(), ended - began, read.loadNanos(), read.needless());
    tally.hits += read.origin().isHit() ? 1 : 0;
    tally.lookups += read.origin() == Origin.DIRECT ? 0 : 1;
    if (!request.query().versions().isEmpty()) {
      if (ledger.isSettled()) {
        judgeTheRest();
        judge(request, read, began);
      } else {
        unjudged.add(new Unjudged(request, read, began));
      }
    }
  }

  private void judge(Request request, Way.Read read, long began) {
    tally.queries.computeIfAbsent(request.query().label(), label -> new QueryFigures()).addJudged();
    OptionalLong missed = firstMissed(request, read);
    long allowed = read.origin() == Origin.OLD ? request.query().mayBeOld().toNanos() : 0;
    if (missed.isPresent() && missed.getAsLong() < began - allowed) {
      tally.stale.add(
          new Stale(request.query().label(), began - missed.getAsLong(), read.invalidated()));
    }
  }

  private OptionalLong firstMissed(Request request, Way.Read read) {
    long sequence = ledger.sequence(); // before the ledger is searched: later notes make it differ
    Known before = read.origin().isHit() ? known.get(read.rows()) : null;
    if (before != null && before.sequence() == sequence) {
      return before.firstMissed();
    }
    Map<VersionedThing, Long> versions =
        before == null ? versions(request, read) : before.versions();
    OptionalLong missed = ledger.firstMissed(versions);
    if (read.origin().isHit()) {
      if (known.size() >= ANSWERS_REMEMBERED) {
        known.clear();
      }
      known.put(read.rows(), new Known(versions, sequence, missed));
    }
    return missed;
  }

  private static Map<VersionedThing, Long> versions(Request request, Way.Read read) {
    Map<VersionedThing, Long> versions = new HashMap<>();
    request.query().versions().forEach(each -> each.read(read.rows(), request.inputs(), versions));
    return versions;
  }

  /** Waits until a moment, the last bit awake: a thread's waking is as long as many a read. */
  private long await(long due) {
    long now = clock.getAsLong();
    while (now < due) {
      if (due - now > SPIN_NANOS) {
        LockSupport.parkNanos(due - now - SPIN_NANOS);
      } else {
        Thread.onSpinWait();
      }
      now = clock.getAsLong();
    }
    return now;
  }
}
