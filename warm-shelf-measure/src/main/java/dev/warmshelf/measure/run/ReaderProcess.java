package dev.warmshelf.measure.run;

import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.trial.CommitLedger;
import java.io.IOException;
import java.io.ObjectInputStream;
import java.io.ObjectOutputStream;
import java.io.Serializable;
import java.io.UncheckedIOException;
import java.sql.SQLException;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.jspecify.annotations.Nullable;

/**
 * A {@link ReaderServer}, seen from the comparison. Stale reads stay with it until the end, since
 * only it can tell whether their answers have been invalidated.
 *
 * <p>Thread-safe; one order at a time.
 */
final class ReaderProcess implements Asker, AutoCloseable {
  private static final long LONGEST_END_SECONDS = 10;

  private final Process process;
  private final ObjectOutputStream orders;
  private final ObjectInputStream answers;
  private final CommitLedger<VersionedThing> ledger;
  private boolean atEnd;
  private int commitsTold;
  private int staleTold;
  private Order.@Nullable Counted last;
  private boolean @Nullable [] invalidated;

  private ReaderProcess(
      Process process,
      ObjectOutputStream orders,
      ObjectInputStream answers,
      CommitLedger<VersionedThing> ledger) {
    this.process = process;
    this.orders = orders;
    this.answers = answers;
    this.ledger = ledger;
  }

  /**
   * Waits until it has begun.
   *
   * @param startedNanos at the latest, on the monotonic clock
   * @param digest of the stream that it must ask
   * @throws SQLException if it has failed, or asks something else
   */
  static ReaderProcess greet(
      Process process, long startedNanos, String digest, CommitLedger<VersionedThing> ledger)
      throws SQLException {
    boolean begun = false;
    try {
      ObjectOutputStream orders = new ObjectOutputStream(process.getOutputStream());
      orders.flush();
      ObjectInputStream answers = new ObjectInputStream(process.getInputStream());
      Order.Greeting greeting = (Order.Greeting) answers.readObject();
      long after = System.nanoTime();
      if (greeting.nanoTime() < startedNanos || greeting.nanoTime() > after) {
        throw new SQLException(
            "This system's monotonic clock is not one for all processes, so reads of several"
                + " cannot be judged by each other's commits.");
      } else if (!greeting.digest().equals(digest)) {
        throw new SQLException(
            "A reader's process asks another stream of requests than this one: has another program"
                + " written to the tables that the workload's inputs are drawn from?");
      }
      begun = true;
      return new ReaderProcess(process, orders, answers, ledger);
    } catch (IOException | ClassNotFoundException e) {
      throw new SQLException("A reader's process could not begin; it has said why.", e);
    } finally {
      if (!begun) {
        process.destroyForcibly();
      }
    }
  }

  private synchronized <R extends Serializable> R tell(Order<R> order) throws SQLException {
    try {
      orders.writeObject(order);
      orders.flush();
      orders.reset();
      Order.Answer answer = (Order.Answer) answers.readObject();
      if (answer instanceof Order.Answer.Failed failed) {
        throw new SQLException(failed.why(), failed.sqlState());
      }
      @SuppressWarnings("unchecked") // as the order says
      R result = (R) ((Order.Answer.Done) answer).result();
      return result;
    } catch (IOException | ClassNotFoundException e) {
      throw new SQLException("A reader's process has ended before the run was over.", e);
    }
  }

  @Override
  public boolean isAtEnd() {
    return atEnd;
  }

  @Override
  public void round(long began, long nanos, BooleanSupplier stopped) throws SQLException {
    atEnd = tell(new Order.Round(began, nanos));
  }

  @Override
  public Reader.Tally take() {
    Reader.Tally tally = new Reader.Tally();
    if (!process.isAlive()) {
      return tally; // what it has noted since the last time is lost with it
    }
    boolean settled = ledger.isSettled(); // before its notes are asked for: later ones do no harm
    var commits = ledger.notesAfter(commitsTold);
    commitsTold += commits.size();
    Order.Taken taken = orUnchecked(new Order.Take(Order.Noted.of(commits), settled));
    tally.latency.add(taken.latency());
    tally.queries.putAll(taken.queries());
    tally.hits = taken.hits();
    tally.lookups = taken.lookups();
    tally.notAsked = taken.notAsked();
    tally.refused = taken.refused();
    for (Order.StaleRead read : taken.stale()) {
      int number = staleTold++;
      tally.stale.add(new Reader.Stale(read.query(), read.ageNanos(), () -> isInvalidated(number)));
    }
    return tally;
  }

  private boolean isInvalidated(int number) {
    boolean[] known = invalidated;
    if (known == null || number >= known.length) {
      known = orUnchecked(new Order.Invalidated());
      invalidated = known;
    }
    return known[number];
  }

  @Override
  public void forget() {
    orUnchecked(new Order.Forget());
    staleTold = 0;
    invalidated = null;
  }

  /** It judges whenever it is told that no commit is under way. */
  @Override
  public void judgeTheRest() {}

  /** What it has counted; the last it said, if it has ended. */
  Order.Counted counted() {
    Order.Counted known = last;
    if (known == null || process.isAlive()) {
      known = orUnchecked(new Order.Report());
      last = known;
    }
    return known;
  }

  void awaitDelivery() throws SQLException {
    tell(new Order.AwaitDelivery());
  }

  private <R extends Serializable> R orUnchecked(Order<R> order) {
    try {
      return tell(order);
    } catch (SQLException e) {
      throw new UncheckedIOException(new IOException(e.getMessage(), e));
    }
  }

  /** Lets it end, or ends it. */
  @Override
  public void close() {
    try {
      orders.close();
      if (!process.waitFor(LONGEST_END_SECONDS, TimeUnit.SECONDS)) {
        process.destroyForcibly();
      }
    } catch (IOException e) {
      process.destroyForcibly();
    } catch (InterruptedException e) {
      process.destroyForcibly();
      Thread.currentThread().interrupt();
    }
  }
}
