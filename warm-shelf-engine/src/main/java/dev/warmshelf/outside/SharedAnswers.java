package dev.warmshelf.outside;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.base.Library;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.outside.WrittenAnswer.Times;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Others;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStore.Facts;
import dev.warmshelf.spi.store.SharedStore.Lease;
import dev.warmshelf.spi.store.SharedStore.Stored;
import dev.warmshelf.spi.store.SharedStoreException;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.verdict.Verdicts.Judged;
import dev.warmshelf.verdict.Verdicts.Known;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.LongAdder;
import java.util.concurrent.locks.LockSupport;
import java.util.function.Predicate;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Answers that processes share.
 *
 * <p><b>The rule.</b> With an answer stands a place of the feed that its process had reached: every
 * change that is in the place is in the answer. That holds since the place is read first, and the
 * answer is written only if it is found fresh after that. Who takes it over fences it with the tick
 * that belongs to the newest of his own places that it covers; then the ordinary rule judges it.
 *
 * <p><b>Nobody waits for the store</b> for longer than it is allowed, and not at all once it has
 * failed: then it is away until a thread of the library's own has found it again. What is written
 * to it waits in a queue of bounded size, and is left out where that is full.
 *
 * <p><b>One load.</b> Whoever finds nothing asks for a lease, looks once more, and loads. Who gets
 * none looks again and again until there is an answer, or a lease to be had, or the time is over. A
 * lease ends when the answer is written, or will not be.
 *
 * <p>Thread-safe.
 */
public final class SharedAnswers implements AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  /** A process begins to follow so far back, to judge what others have kept by then. */
  private static final Duration REACH = Duration.ofMinutes(5);

  private static final Duration OPENING = Duration.ofSeconds(5);
  private static final long ROUND_NANOS = TimeUnit.SECONDS.toNanos(1);
  private static final long FIRST_PAUSE_NANOS = TimeUnit.MILLISECONDS.toNanos(50);
  private static final long LONGEST_PAUSE_NANOS = TimeUnit.SECONDS.toNanos(30);
  private static final int ROUNDS_A_MINUTE = 60;
  private static final int ROUNDS_A_PLACE = 20;
  private static final int MOST_USED = 10_000;
  private static final int MOST_TROUBLES = 100;

  /** Asked for now and then, to know how long that takes. */
  private static final byte[] NOBODYS = new byte[32];

  private static final long FIRST_LOOK_AGAIN_NANOS = TimeUnit.MILLISECONDS.toNanos(1);
  private static final long LAST_LOOK_AGAIN_NANOS = TimeUnit.MILLISECONDS.toNanos(20);

  /** A load is worth sharing if it takes so many times what it takes to ask the store. */
  private static final int WORTH = 2;

  /** Of a thousand: what clocks may differ in speed. */
  private static final int DRIFT = 1_000;

  private final Sharing settings;
  private final SharedStore store;
  private final Cleared cleared;
  private final Feed feed;
  private final Board board;
  private final TimeSource time;
  private final LinkedBlockingQueue<Filling> queue = new LinkedBlockingQueue<>();
  private final AtomicLong queued = new AtomicLong();

  /** What has been of use since the store was last told; where it is full, some is left out. */
  private final ArrayBlockingQueue<byte[]> used = new ArrayBlockingQueue<>(MOST_USED);

  private final Set<String> troublesTold = ConcurrentHashMap.newKeySet();
  private final CountDownLatch closed = new CountDownLatch(1);

  /** For the keeper: the store has just failed, or all is over. */
  private final Semaphore wake = new Semaphore(0);

  /** The filler's. */
  private @Nullable Moment moment;

  private final Thread filler;
  private final Thread keeper;
  private volatile boolean away = true;
  private volatile @Nullable String trouble = "it was not asked yet";
  private final LeastTime askTime = new LeastTime();

  private final LongAdder asked = new LongAdder();
  private final LongAdder taken = new LongAdder();
  private final LongAdder nothingThere = new LongAdder();
  private final LongAdder unreadable = new LongAdder();
  private final LongAdder ofAnotherPlace = new LongAdder();
  private final LongAdder outOfDate = new LongAdder();
  private final LongAdder waited = new LongAdder();
  private final LongAdder written = new LongAdder();
  private final LongAdder leftOut = new LongAdder();
  private final LongAdder failures = new LongAdder();

  /**
   * About how long asking takes at least: the least of so many, for where a machine is busy all
   * takes longer, loads as well. Nothing until there are so many. A lost update costs nothing.
   */
  private static final class LeastTime {
    private static final int WINDOW = 16;

    private int count;
    private long least = Long.MAX_VALUE;
    private volatile long before;

    long nanos() {
      return before;
    }

    void add(long nanos) {
      least = Math.min(least, nanos);
      count++;
      if (count >= WINDOW) {
        before = least;
        least = Long.MAX_VALUE;
        count = 0;
      }
    }
  }

  /** What is to be done for the store: an answer to be written, or only a lease to be given up. */
  private record Filling(@Nullable SharedForm form, @Nullable Entry entry, @Nullable Lease lease) {
    static final Filling LAST = new Filling(null, null, null);

    long bytes() {
      return entry == null ? 0 : entry.bytes();
    }
  }

  /** Knows what has been cleared here by the name of a table. */
  @FunctionalInterface
  public interface Cleared {
    /** Whether a table of these lanes has been cleared since a tick. */
    boolean hasClearedTableOf(List<Lane> lanes, long since);
  }

  public SharedAnswers(Sharing settings, Cleared cleared, Feed feed, Board board, TimeSource time) {
    this.settings = settings;
    this.store = settings.store();
    this.cleared = cleared;
    this.feed = feed;
    this.board = board;
    this.time = time;
    this.filler = thread("warm-shelf-shared-fills", this::fill);
    this.keeper = thread("warm-shelf-shared", this::keep);
  }

  private static Thread thread(String name, Runnable work) {
    Thread thread = new Thread(work, name);
    thread.setDaemon(true);
    return thread;
  }

  /**
   * Finds out whether the store is there, and has the feed begin where others' answers can be
   * judged, unless it begins somewhere already. To be called before it follows.
   */
  public void open(boolean beginsSomewhere) {
    CountDownLatch tried = new CountDownLatch(1);
    Thread first =
        thread(
            "warm-shelf-shared-open",
            () -> {
              FeedPlace place = checked();
              if (place != null && tried.getCount() > 0 && !beginsSomewhere) {
                feed.from(place);
              }
              tried.countDown();
            });
    first.start();
    try {
      if (!tried.await(OPENING.toNanos(), TimeUnit.NANOSECONDS)) {
        tried.countDown();
        LOG.warn("Shared: store='{}' has not answered in {}", store.describe(), OPENING);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private @Nullable FeedPlace checked() {
    try {
      store.check();
      FeedPlace oldest = store.oldestPlace(REACH).orElse(null);
      isBack();
      return oldest;
    } catch (SharedStoreException | RuntimeException e) {
      isAway(e);
      return null;
    }
  }

  private void isBack() {
    if (away) {
      away = false;
      trouble = null;
      LOG.info("Shared: store='{}' answers", store.describe());
    }
  }

  private void isAway(Exception why) {
    failures.increment();
    trouble = String.valueOf(why.getMessage());
    boolean answered = !away;
    boolean isNew =
        troublesTold.size() < MOST_TROUBLES
            && troublesTold.add(why.getClass() + " " + why.getMessage());
    if (answered || isNew) {
      LOG.warn("Shared: store='{}' is away, database answers: {}", store.describe(), trouble);
      LOG.debug("Why", why);
    }
    away = true;
    if (answered) {
      wake.release(); // the keeper looks soon; while it is away, after longer and longer pauses
    }
  }

  /** The feed follows. */
  public void begin() {
    filler.start();
    keeper.start();
  }

  /** How it is, and what it has counted. */
  public SharedState state() {
    return new SharedState(
        store.describe(),
        Optional.ofNullable(trouble),
        Map.ofEntries(
            Map.entry(SharedState.Count.ASKED, asked.sum()),
            Map.entry(SharedState.Count.TAKEN, taken.sum()),
            Map.entry(SharedState.Count.NOTHING_THERE, nothingThere.sum()),
            Map.entry(
                SharedState.Count.USELESS,
                unreadable.sum() + ofAnotherPlace.sum() + outOfDate.sum()),
            Map.entry(SharedState.Count.UNREADABLE, unreadable.sum()),
            Map.entry(SharedState.Count.OF_ANOTHER_PLACE, ofAnotherPlace.sum()),
            Map.entry(SharedState.Count.OUT_OF_DATE, outOfDate.sum()),
            Map.entry(SharedState.Count.WAITED, waited.sum()),
            Map.entry(SharedState.Count.WRITTEN, written.sum()),
            Map.entry(SharedState.Count.LEFT_OUT, leftOut.sum()),
            Map.entry(SharedState.Count.FAILURES, failures.sum())),
        queued.get());
  }

  /** A statement's answers among them; null if they are not shared. */
  public @Nullable SharedForm form(
      AnswerShelf shelf,
      KeyShape shape,
      AnswerForm form,
      Judged judged,
      @Nullable SharedForm known) {
    FeedPlace place = feed.place().orElse(null);
    if (place == null || shelf.policy().expiry().withProcess()) {
      return null;
    }
    if (known != null && known.isOf(judged, place.stream())) {
      return known;
    }
    Map<String, String> prints = judged.prints();
    if (prints == null) {
      return null;
    }
    return new SharedForm(shelf, shape, form, judged, place.stream(), prints);
  }

  /** What others have of a form of question. */
  public Others of(SharedForm form) {
    return (key, takesOver, waitNanos) -> take(form, key, takesOver, waitNanos);
  }

  private Others.Turn take(SharedForm form, Key key, Predicate<Entry> takesOver, long waitNanos) {
    if (away || !form.mayTake(leastNanos())) {
      return new Turn(form, new Others.Found.Nothing(false), null);
    }
    return new Asked(form, key, takesOver).turn(Math.min(waitNanos, settings.waiting().toNanos()));
  }

  /** How long a load must take to be worth sharing. */
  private long leastNanos() {
    return settings.fromLoadOf().map(Duration::toNanos).orElseGet(() -> WORTH * askTime.nanos());
  }

  /** One question to the store. */
  private final class Asked {
    private final SharedForm form;
    private final Key key;
    private final Predicate<Entry> takesOver;
    private final byte[] digest;

    /** A store that is slower is asked no more than once of one question. */
    private final long quickNanos = store.answersWithin().toNanos() / 3;

    Asked(SharedForm form, Key key, Predicate<Entry> takesOver) {
      this.form = form;
      this.key = key;
      this.takesOver = takesOver;
      this.digest = form.digest(key);
    }

    Others.Turn turn(long waitNanos) {
      try {
        long began = time.nanos();
        Entry found = look();
        if (found == null && waitNanos > 0 && time.nanos() - began < quickNanos) {
          return loadOrWait(waitNanos);
        }
        return turn(found, false, null);
      } catch (SharedStoreException | RuntimeException e) {
        isAway(e);
        return turn(null, true, null);
      }
    }

    private Others.Turn loadOrWait(long waitNanos) throws SharedStoreException {
      Lease lease = store.lease(digest);
      if (lease != null) {
        return holding(lease, false);
      }
      waited.increment();
      long began = time.nanos();
      long pause = FIRST_LOOK_AGAIN_NANOS;
      while (time.nanos() - began < waitNanos && !away && !Thread.currentThread().isInterrupted()) {
        LockSupport.parkNanos(this, pause);
        pause = Math.min(2 * pause, LAST_LOOK_AGAIN_NANOS);
        Entry found = look();
        if (found != null) {
          return turn(found, true, null);
        }
        lease = store.lease(digest);
        if (lease != null) {
          return holding(lease, true);
        }
      }
      return turn(null, true, null);
    }

    /** Between a look and the lease somebody may have ended his load. */
    private Others.Turn holding(Lease lease, boolean late) throws SharedStoreException {
      boolean handedOn = false;
      try {
        Entry found = look();
        Others.Turn turn = turn(found, late, lease);
        handedOn = true;
        return turn;
      } finally {
        if (!handedOn) {
          giveUp(lease);
        }
      }
    }

    private Others.Turn turn(@Nullable Entry found, boolean late, @Nullable Lease lease) {
      return new Turn(
          form,
          found == null ? new Others.Found.Nothing(late) : new Others.Found.Answer(found),
          lease);
    }

    /** What the store has, if the caller takes it over. */
    private @Nullable Entry look() throws SharedStoreException {
      long before = time.nanos(); // from when its age is counted: it is no younger than that
      Stored stored = ask(digest);
      asked.increment();
      if (stored == null) {
        nothingThere.increment();
        return null;
      }
      Entry entry = readable(stored, before);
      if (entry != null && !takesOver.test(entry)) {
        outOfDate.increment();
        return null;
      } else if (entry == null) {
        return null;
      }
      taken.increment();
      form.loadTook(entry.loadNanos());
      if (!used.offer(digest)) {
        LOG.trace("more is of use than is told");
      }
      return entry;
    }

    /** Null as well for what cannot be read, though it is whole. */
    private @Nullable Entry readable(Stored stored, long now) {
      try {
        return entry(stored, now);
      } catch (RuntimeException e) {
        LOG.debug("What the store has of {} cannot be read", key, e);
        unreadable.increment();
        return null;
      }
    }

    private @Nullable Entry entry(Stored stored, long now) {
      SharedBytes read = SharedBytes.read(form.digest(), stored.bytes());
      if (read == null || !read.answer().key().equals(ByteBuffer.wrap(key.writtenValues()))) {
        unreadable.increment(); // damaged, or another question's
        return null;
      }
      OptionalLong tick = feed.tickAt(new FeedPlace(form.stream(), read.reached()));
      if (tick.isEmpty()) {
        ofAnotherPlace.increment();
        return null;
      }
      WrittenAnswer answer = read.answer();
      Times times = answer.times();
      long age = times.age() + stored.ageNanos();
      long filled = now - age - age / DRIFT;
      Fence fence = board.fenceOfOthers(tick.getAsLong(), filled - times.load());
      if (cleared.hasClearedTableOf(answer.lanes(), fence.tick())) {
        outOfDate.increment();
        return null;
      }
      return form.shelf()
          .entryOf(
              LoadedBy.OTHER_PROCESS,
              key,
              form.form().readWritten(answer.columns(), answer.rows()),
              Footprint.of(answer.lanes())
                  .and(form.judged().standsOn().stream().map(Known::lane).toList()),
              fence,
              filled,
              new Life(times.lifetime(), times.sinceUse()));
    }
  }

  private @Nullable Stored ask(byte[] digest) throws SharedStoreException {
    long began = time.nanos();
    Stored stored = store.get(digest);
    askTime.add(time.nanos() - began);
    return stored;
  }

  /** What a caller got. */
  private final class Turn implements Others.Turn {
    private final SharedForm form;
    private final Others.Found found;
    private @Nullable Lease lease;

    Turn(SharedForm form, Others.Found found, @Nullable Lease lease) {
      this.form = form;
      this.found = found;
      this.lease = lease;
    }

    @Override
    public Others.Found found() {
      return found;
    }

    @Override
    public void loaded(Entry entry) {
      form.loadTook(entry.loadNanos());
      if (!away && entry.loadNanos() >= leastNanos() && offer(new Filling(form, entry, lease))) {
        lease = null; // ends when it is written
      }
    }

    @Override
    public void close() {
      Lease held = lease;
      lease = null;
      if (held != null) {
        giveUp(held);
      }
    }
  }

  private void giveUp(Lease lease) {
    offer(new Filling(null, null, lease));
  }

  private boolean offer(Filling filling) {
    long bytes = filling.bytes();
    if (bytes > 0 && (closed.getCount() == 0 || queued.get() + bytes > settings.queueBytes())) {
      leftOut.increment();
      return false;
    }
    queued.addAndGet(bytes);
    return queue.add(filling);
  }

  private void fill() {
    try {
      for (Filling next = queue.take(); !next.equals(Filling.LAST); next = queue.take()) {
        try {
          write(next);
        } catch (RuntimeException e) {
          isAway(e);
        } finally {
          queued.addAndGet(-next.bytes());
          Lease lease = next.lease();
          if (lease != null) {
            lease.close();
          }
        }
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /**
   * A moment by the store's clock, and one after it by this process's. What was loaded by then is
   * at least as old by the one as by the other, whenever it arrives.
   */
  private record Moment(long ofStore, long nanos) {}

  private Moment momentAfter(Entry entry) throws SharedStoreException {
    Moment known = moment;
    if (known == null || known.nanos() - entry.filledNanos() < 0) {
      known = new Moment(store.moment(), time.nanos());
      moment = known;
    }
    return known;
  }

  private void write(Filling filling) {
    SharedForm form = filling.form();
    Entry entry = filling.entry();
    FeedPlace place = feed.place().orElse(null); // first: see the rule
    if (form == null
        || entry == null
        || away
        || place == null
        || !place.stream().equals(form.stream())
        || !(entry.value() instanceof Answer)
        || !form.shelf().isServable(entry)) {
      return;
    }
    try {
      Moment after = momentAfter(entry);
      byte[] bytes = SharedBytes.write(form.digest(), place.reached(), entry, after.nanos());
      if (bytes == null || bytes.length > settings.answerBytes()) {
        return;
      }
      long left = entry.expires() ? entry.remainingNanos(time.nanos()) : Long.MAX_VALUE;
      Facts facts =
          new Facts(
              form.shelf().name(), form.shape().formDigest(), entry.loadNanos(), Math.max(0, left));
      store.put(form.digest(entry.key()), bytes, after.ofStore(), facts);
      written.increment();
    } catch (SharedStoreException e) {
      isAway(e);
    }
  }

  /** What is to be done now and then. */
  private void keep() {
    long pause = FIRST_PAUSE_NANOS;
    long round = 0;
    try {
      while (closed.getCount() > 0) {
        if (away) {
          checked();
          pause = Math.min(2 * pause, LONGEST_PAUSE_NANOS);
        } else {
          pause = FIRST_PAUSE_NANOS;
          round(round++); // at once: what is written from now on can be judged from here
        }
        boolean woken = wake.tryAcquire(away ? pause : ROUND_NANOS, TimeUnit.NANOSECONDS);
        LOG.trace("woken {}", woken);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void round(long round) {
    try {
      FeedPlace place = feed.place().orElse(null);
      ask(NOBODYS);
      if (place != null && round % ROUNDS_A_PLACE == 0) {
        store.note(place);
      }
      if (round % ROUNDS_A_MINUTE == ROUNDS_A_MINUTE - 1) {
        List<byte[]> all = new ArrayList<>();
        if (used.drainTo(all) > 0) {
          store.used(all);
        }
        trim();
      }
    } catch (SharedStoreException | RuntimeException e) {
      isAway(e);
    }
  }

  /** A store that cannot be trimmed answers all the same. */
  private void trim() {
    try {
      store.trim();
    } catch (SharedStoreException e) {
      if (troublesTold.add("trim")) {
        LOG.warn("Shared: store='{}' could not be trimmed; told once", store.describe(), e);
      }
    }
  }

  /** Writes what is waiting, for a few seconds at most, and closes the store. */
  @Override
  public void close() {
    closed.countDown();
    wake.release();
    queue.add(Filling.LAST);
    try {
      filler.join(OPENING.toMillis());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    store.close();
  }
}
