package dev.warmshelf.shelf.read;

import dev.warmshelf.key.KeyShape;
import dev.warmshelf.shelf.Shelf.StoodDown;
import dev.warmshelf.time.TimeSource;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Locale;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.LongAdder;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What keeping the answers to one form of question gives, and what it costs; and whether it is
 * done. Where it costs more than it gives for a while, the form <em>stands down</em>: its questions
 * go to the database, and nothing of it is kept.
 *
 * <p><b>What is compared.</b> What callers have waited for their answers through the shelf, and
 * what they would have waited without it: the load times of the answers that they were given, times
 * the price of a direct read, as a part of a load. That price is known from samples: one read in
 * {@value #READS_A_SAMPLE} of those that are no hits asks the database alone.
 *
 * <p><b>When it stands down.</b> Windows of a second or more are judged, each of {@value
 * #LEAST_READS} reads that were no plain hits, or more. After {@value #DEAR_WINDOWS} in a row that
 * lost more than a tenth, or {@value #LOSING_WINDOWS} that lost more than a fiftieth, if what it
 * gained before, of which half is forgotten every five minutes, does not make up for that.
 *
 * <p><b>When in doubt.</b> What keeping answers costs beside the reads, such as what it has the
 * database do at commits, slows direct reads down as well, and so is in no comparison of the two at
 * one time. Where a form has gained less than a third for {@value #DOUBTFUL_WINDOWS} windows, it
 * stands down for a moment, to see what direct reads take then; it stays so if that is less than
 * its questions took before.
 *
 * <p><b>When it comes back.</b> Now and then for a trial: as if it had not stood down, for some
 * windows to get warm and one that is judged: against what direct reads took before. It stays if
 * that gains a tenth. Else the next trial has to wait, twice as long as the last one, five minutes
 * at most, and until it may lose again what that one lost: a hundredth of what direct reads have
 * taken meanwhile. It is twice as long itself. Who stands down soon after coming back waits twice
 * as long each time, twenty minutes at most; and so does who was doubted in vain.
 *
 * <p>Thread-safe.
 */
public final class Balance {
  private static final Logger LOG = LoggerFactory.getLogger(Balance.class);

  static final int READS_A_SAMPLE = 64;
  static final int LEAST_READS = 100;
  static final int DEAR_WINDOWS = 5;
  static final int LOSING_WINDOWS = 20;
  static final int DOUBTFUL_WINDOWS = 10;

  private static final double DEAR = 0.1;
  private static final double LOSING = 0.02;
  private static final double GAINING = 0.1;
  private static final double BEYOND_DOUBT = 0.33;
  private static final double CLEARLY_LESS = 0.95;
  private static final double SHARE_FOR_TRIALS = 0.01;
  private static final int MOST_WARMING = 16;
  private static final double MILLI = 1e6;

  private static final long WINDOW = TimeUnit.SECONDS.toNanos(1);
  private static final long LONGEST_WINDOW = TimeUnit.SECONDS.toNanos(10);
  private static final long SETTLING = TimeUnit.MILLISECONDS.toNanos(300);
  private static final long FIRST_PAUSE = TimeUnit.SECONDS.toNanos(10);
  private static final long LONGEST_PAUSE = TimeUnit.MINUTES.toNanos(5);
  private static final long LONGEST_PAUSE_OF_WAVERERS = TimeUnit.MINUTES.toNanos(20);

  /** Who has been kept for so long since he came back begins with short pauses again. */
  private static final long TRUSTED_AFTER = TimeUnit.MINUTES.toNanos(20);

  private static final double FORGETTING_NANOS = TimeUnit.MINUTES.toNanos(5) / Math.log(2);

  private final String shelf;
  private final KeyShape form;
  private final TimeSource time;
  private final Runnable leaving;

  /** Load times of the answers that hits have given. */
  private final LongAdder given = new LongAdder();

  private volatile boolean down;

  private boolean always;
  private final Mean loads = new Mean();
  private final Mean directs = new Mean();
  private Phase phase = Phase.KEPT;
  private int untilSample = READS_A_SAMPLE;
  private boolean pairs;
  private int dearWindows;
  private int losingWindows;
  private int doubtfulWindows;
  private long windowBegan;
  private int reads;
  private long took;
  private long worth;

  /** How many questions there were of late, hits and all. */
  private double questions;

  /** What they took, in nanoseconds. */
  private double waited;

  /** What they would have taken as direct reads. */
  private double turnover;

  private long keptSince;
  private boolean hasComeBack;
  private long firstPause = FIRST_PAUSE;
  private long pause = FIRST_PAUSE;
  private long triesAt;
  private int warming = 1;
  private int windowsOfTrial;
  private long doubtPause = FIRST_PAUSE;
  private long doubtsAt;

  private double mayLose;
  private double loses;
  private @Nullable StoodDown stoodDown;

  private enum Phase {
    KEPT,
    /** Stands down for a moment, to see what that gives. */
    DOUBTED,
    DOWN,
    /** Kept for a moment, to see what that gives. */
    TRIAL
  }

  /** Of the latest of some numbers. */
  private static final class Mean {
    private static final int MANY = 128;
    private static final int FEW = 8;

    private long sum;
    private int count;

    void add(long nanos) {
      if (count >= MANY) {
        count /= 2;
        sum /= 2;
      }
      sum += nanos;
      count++;
    }

    boolean isKnown() {
      return count >= FEW;
    }

    double value() {
      return (double) sum / count;
    }

    void clear() {
      sum = 0;
      count = 0;
    }
  }

  /**
   * @param leaving has the form's answers leave
   */
  Balance(String shelf, KeyShape form, TimeSource time, Runnable leaving) {
    this.shelf = shelf;
    this.form = form;
    this.time = time;
    this.leaving = leaving;
    this.windowBegan = time.nanos();
    this.keptSince = windowBegan;
    this.doubtsAt = windowBegan;
  }

  /** Whether its questions go to the database; whoever asks it tells {@link #wasDirect}. */
  public boolean isDown() {
    return down;
  }

  /** Since when, and why; empty if it does not stand down. */
  synchronized Optional<StoodDown> stoodDown() {
    return Optional.ofNullable(stoodDown);
  }

  /** It never stands down any more: its answers are used where nobody counts that. */
  public synchronized void isUsedUnseen() {
    always = true;
    if (phase != Phase.KEPT) {
      begin(Phase.KEPT, time.nanos());
      stoodDown = null;
    }
  }

  /** To be told of each hit, as load times. */
  LongAdder given() {
    return given;
  }

  /** Whether a read that is no hit is to ask the database alone, to know what that takes. */
  synchronized boolean samples() {
    untilSample--;
    if (untilSample > 0) {
      return false;
    }
    untilSample = READS_A_SAMPLE;
    pairs = true;
    return true;
  }

  /** The database has answered a question alone, for its caller. */
  public synchronized void wasDirect(long nanos) {
    long now = time.nanos();
    if (phase == Phase.DOUBTED) {
      if (now - windowBegan >= SETTLING) {
        directs.add(nanos);
      }
      if (now - windowBegan >= SETTLING + WINDOW && directs.count >= LEAST_READS) {
        endDoubt(now);
      }
      return;
    }
    directs.add(nanos);
    if (phase == Phase.DOWN) {
      mayLose += SHARE_FOR_TRIALS * nanos;
      if (now - triesAt >= 0 && mayLose >= loses) {
        begin(Phase.TRIAL, now);
      }
    }
  }

  private void endDoubt(long now) {
    double perQuestion = waited / questions;
    if (directs.value() < CLEARLY_LESS * perQuestion) {
      leavesKept(0, now);
      standDown(now, perQuestion);
    } else {
      doubtPause = Math.min(2 * doubtPause, LONGEST_PAUSE_OF_WAVERERS);
      doubtsAt = now + doubtPause;
      begin(Phase.KEPT, now);
    }
  }

  /**
   * A read that was no plain hit.
   *
   * @param nanos what it has taken
   * @param load what the answer's load has taken; 0 for a hit, which tells {@link #given} of it
   * @param own whether that was this read's
   */
  public void wasRead(long nanos, long load, boolean own) {
    boolean leaves;
    synchronized (this) {
      if (down) {
        return; // it began before
      }
      took += nanos;
      worth += load;
      reads++;
      if (own && pairs) { // as old as the sample
        pairs = false;
        loads.add(load);
      }
      long now = time.nanos();
      boolean isJudged =
          now - windowBegan >= WINDOW
              && (reads >= LEAST_READS
                  || (phase == Phase.TRIAL && now - windowBegan >= LONGEST_WINDOW));
      leaves = isJudged && judge(now);
    }
    if (leaves) {
      leaving.run();
    }
  }

  /** Whether its answers are to leave. */
  private boolean judge(long now) {
    double hits = given.sumThenReset();
    double without = price() * (worth + hits);
    double lost = took - without;
    double share = without == 0 ? 1 : lost / without;
    double judged = reads * (1 + (worth == 0 ? 0 : hits / worth));
    double average = took / judged;
    double remembered = Math.exp((windowBegan - now) / FORGETTING_NANOS);
    turnover = turnover * remembered + without;
    questions = questions * remembered + judged;
    waited = waited * remembered + took;
    beginWindow(now);
    return phase == Phase.TRIAL ? hasFailed(average, lost, now) : isToLeave(share, average, now);
  }

  private double price() {
    return directs.isKnown() && loads.isKnown()
        ? Math.max(0.5, Math.min(1, directs.value() / loads.value()))
        : 1;
  }

  private boolean isToLeave(double share, double average, long now) {
    dearWindows = share > DEAR ? dearWindows + 1 : 0;
    losingWindows = share > LOSING ? losingWindows + 1 : 0;
    double gained = turnover - waited;
    doubtfulWindows = gained < BEYOND_DOUBT * turnover ? doubtfulWindows + 1 : 0;
    boolean isLosing = dearWindows >= DEAR_WINDOWS || losingWindows >= LOSING_WINDOWS;
    if (always) {
      return false;
    } else if (isLosing && gained < 0) {
      leavesKept(-gained, now);
      standDown(now, average);
      return true;
    } else if (doubtfulWindows >= DOUBTFUL_WINDOWS && now - doubtsAt >= 0) {
      directs.clear();
      begin(Phase.DOUBTED, now);
      return true;
    }
    return false;
  }

  private void leavesKept(double hasLost, long now) {
    boolean wavers = hasComeBack && now - keptSince < TRUSTED_AFTER;
    firstPause = wavers ? Math.min(2 * firstPause, LONGEST_PAUSE_OF_WAVERERS) : FIRST_PAUSE;
    pause = firstPause;
    warming = 1;
    loses = hasLost;
  }

  private boolean hasFailed(double average, double lost, long now) {
    windowsOfTrial++;
    if (windowsOfTrial <= warming) {
      return false;
    } else if (average <= (1 - GAINING) * directs.value()) {
      begin(Phase.KEPT, now);
      stoodDown = null;
      hasComeBack = true;
      keptSince = now;
      LOG.info("Stands down no more: shelf={} form={}", shelf, form.formDigest());
      return false;
    }
    pause = Math.max(firstPause, Math.min(2 * pause, LONGEST_PAUSE));
    warming = Math.min(2 * warming, MOST_WARMING);
    loses = Math.max(0, lost) * (warming + 1);
    standDown(now, average);
    return true;
  }

  private void standDown(long now, double average) {
    String why =
        String.format(
            Locale.ROOT,
            "its questions took %.3f ms on average, direct ones %.3f ms",
            average / MILLI,
            (directs.isKnown() ? directs.value() : price() * average) / MILLI);
    triesAt = now + pause;
    mayLose = 0;
    begin(Phase.DOWN, now);
    if (stoodDown == null) {
      LOG.info(
          "Stands down: shelf={} form={} {}. Nothing of it is kept until a trial gains. It is: {}",
          shelf,
          form.formDigest(),
          why,
          form.normalForm());
    }
    Instant since =
        stoodDown == null ? time.wallAt(now).truncatedTo(ChronoUnit.SECONDS) : stoodDown.since();
    stoodDown = new StoodDown(form.formDigest(), form.normalForm(), since, why);
  }

  private void begin(Phase next, long now) {
    phase = next;
    down = next == Phase.DOWN || next == Phase.DOUBTED;
    dearWindows = 0;
    losingWindows = 0;
    doubtfulWindows = 0;
    windowsOfTrial = 0;
    if (next == Phase.DOWN || next == Phase.TRIAL) {
      questions = 0;
      waited = 0;
      turnover = 0;
    }
    if (next == Phase.KEPT) { // what was seen while it stood down is not of these loads' time
      directs.clear();
      loads.clear();
      pairs = false;
    }
    given.reset();
    beginWindow(now);
  }

  private void beginWindow(long now) {
    windowBegan = now;
    reads = 0;
    took = 0;
    worth = 0;
  }
}
