package dev.warmshelf.measure.run;

import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.trial.CommitLedger;
import java.io.Serializable;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.HdrHistogram.Histogram;

/**
 * What a comparison has one of its reader processes do. Both are of the same build, and each
 * process is the other's own child or parent, so objects go between them as Java writes them.
 *
 * @param <R> what the process answers
 */
interface Order<R extends Serializable> extends Serializable {
  /** Carries it out in the reader's process. */
  R by(ReaderServer reader) throws SQLException;

  /** What was answered; or what failed, in words. */
  sealed interface Answer extends Serializable {
    record Done(Serializable result) implements Answer {}

    record Failed(String why, String sqlState) implements Answer {}
  }

  /**
   * What a process says of itself when it has begun.
   *
   * @param nanoTime on its monotonic clock
   * @param digest of its stream of requests
   */
  record Greeting(long nanoTime, String digest) implements Serializable {}

  /** To ask for a round; answered with whether the stream is at its end. */
  record Round(long began, long nanos) implements Order<Boolean> {
    @Override
    public Boolean by(ReaderServer reader) throws SQLException {
      return reader.round(began, nanos);
    }
  }

  /** A commit's note, as it is sent. */
  record Noted(VersionedThing thing, long version, long returnedNanos) implements Serializable {
    static ArrayList<Noted> of(List<CommitLedger.Commit<VersionedThing>> commits) {
      ArrayList<Noted> noted = new ArrayList<>();
      commits.forEach(
          commit -> noted.add(new Noted(commit.scope(), commit.version(), commit.returnedNanos())));
      return noted;
    }
  }

  /**
   * To hand out what has been noted.
   *
   * @param commits those not told of yet
   * @param settled whether these are all that have returned, so that reads can be judged
   */
  record Take(ArrayList<Noted> commits, boolean settled) implements Order<Taken> {
    @Override
    public Taken by(ReaderServer reader) {
      return reader.take(commits, settled);
    }
  }

  /** A read that missed a commit. */
  record StaleRead(String query, long ageNanos) implements Serializable {}

  /** A tally, as it is sent. */
  record Taken(
      Histogram latency,
      HashMap<String, QueryFigures> queries,
      ArrayList<StaleRead> stale,
      long hits,
      long lookups,
      long notAsked,
      long refused)
      implements Serializable {}

  /** To forget what has been noted. */
  record Forget() implements Order<Boolean> {
    @Override
    public Boolean by(ReaderServer reader) {
      return reader.forget();
    }
  }

  /** To say what the process has counted, and holds. */
  record Report() implements Order<Counted> {
    @Override
    public Counted by(ReaderServer reader) {
      return reader.counted();
    }
  }

  /** What a process has counted since it began, and what it holds by query. */
  record Counted(long databaseReads, Meters.Snapshot meters, HashMap<String, HeldSize> held)
      implements Serializable {
    Counted and(Counted more) {
      Map<String, HeldSize> both = new HashMap<>(held);
      more.held.forEach((query, size) -> both.merge(query, size, HeldSize::and));
      return new Counted(
          databaseReads + more.databaseReads, meters.and(more.meters), new HashMap<>(both));
    }
  }

  /** To wait until the feed has told of all that has been committed by now. */
  record AwaitDelivery() implements Order<Boolean> {
    @Override
    public Boolean by(ReaderServer reader) throws SQLException {
      return reader.awaitDelivery();
    }
  }

  /** To say of each stale read, since the last {@link Forget}, whether its answer is out by now. */
  record Invalidated() implements Order<boolean[]> {
    @Override
    public boolean[] by(ReaderServer reader) {
      return reader.invalidated();
    }
  }
}
