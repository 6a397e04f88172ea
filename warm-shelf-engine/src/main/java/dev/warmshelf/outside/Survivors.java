package dev.warmshelf.outside;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.base.Library;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.outside.WrittenAnswer.Times;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.EntryView.LoadedBy;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.verdict.Verdicts;
import dev.warmshelf.verdict.Verdicts.Judged;
import dev.warmshelf.verdict.Verdicts.Known;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Answers that outlive their process.
 *
 * <p><b>The rule.</b> With a file's answers stands a place of the feed: every change that is in the
 * place is in the answers. It holds since the place is read first, and an answer is written only if
 * it is found fresh after that: all changes in the place had been ticked by then, so none that the
 * answer lacks touches it. The next process has its feed begin at the place, and fences the answers
 * with the tick from before the feed's first look. So each change that they may lack bears a higher
 * tick, and the ordinary rule tells which of them still hold. If the feed cannot begin there, it
 * puts everything out, and with it these.
 *
 * <p>What a statement means is no matter of the data. So an answer is put back only once this
 * process has asked the database about its statement, and if that stands on the same objects of the
 * schema, each with the print that it had; from then on the answer stands on what is watched here.
 *
 * <p>Thread-safe.
 */
public final class Survivors {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  /** What nobody has asked for by then is forgotten. */
  private static final Duration DORMANT = Duration.ofMinutes(10);

  /** Written so often though nothing has changed: the journal forgets old places. */
  private static final Duration AT_LEAST = Duration.ofMinutes(10);

  /** A writing is followed by a pause of at least so many times what it took. */
  private static final long WRITING_REST = 50;

  /** So many answers are put back before a caller goes on: some 20 ms of his time. */
  private static final int AT_ONCE = 1_000;

  private static final Duration CLOSING = Duration.ofSeconds(30);

  private final WarmStart settings;
  private final WritersLock lock;
  private final Collection<AnswerShelf> shelves;
  private final Verdicts verdicts;
  private final Feed feed;
  private final Board board;
  private final TimeSource time;
  private final String program;

  /** What may be put back, by shape of key; becomes less and less. */
  private final Map<KeyShape, List<Group>> dormant = new ConcurrentHashMap<>();

  /** How many forms' answers are being put back. */
  private final AtomicInteger puttingBack = new AtomicInteger();

  /** How often what is dormant was forgotten; guarded by {@link #dormant}. */
  private int forgotten;

  private final Set<String> troublesTold = ConcurrentHashMap.newKeySet();
  private final CountDownLatch closed = new CountDownLatch(1);

  /** From before the feed's first look. */
  private final Fence opened;

  private volatile @Nullable Thread thread;

  /** For a program that ends without closing, as one that has its shelves by a URL alone. */
  private volatile @Nullable Thread atExit;

  private long writtenNanos;
  private long writtenState = -1;
  private long tookNanos;

  /**
   * Answers to one form of question, as they stand in the file.
   *
   * @param writtenNanos when that was written, on this process's clock
   */
  private record Group(
      WrittenForm form, AnswerFile file, List<ByteBuffer> answers, long writtenNanos) {}

  /**
   * Reads the file, if there is one, and has the feed begin where it ends. To be called before the
   * feed follows.
   *
   * @param shelves whose answers are written
   * @param verdicts know what their statements stand on
   */
  public Survivors(
      WarmStart settings,
      Feed feed,
      Board board,
      TimeSource time,
      Collection<AnswerShelf> shelves,
      Verdicts verdicts) {
    this.shelves = shelves;
    this.verdicts = verdicts;
    this.settings = settings;
    this.lock = new WritersLock(settings.file());
    this.feed = feed;
    this.board = board;
    this.time = time;
    this.opened = new Fence(board.lastTick(), time.nanos());
    this.program = "warm shelf " + Library.version();
    this.writtenNanos = opened.nanos();
    read();
  }

  private void read() {
    Path path = settings.file();
    if (!Files.exists(path)) {
      LOG.info("Warm start: file={} is not there yet", path);
      return;
    }
    try {
      AnswerFile file = AnswerFile.read(path, program, 2 * settings.atMost());
      Duration ago = Duration.between(file.head().written(), time.wall());
      if (ago.isNegative()) {
        leave("it was written " + ago.negated() + " from now, by the clock");
        return;
      }
      feed.from(file.head().place()); // first: without it nothing of the file may be believed
      long written = opened.nanos() - ago.toNanos();
      int count = 0;
      for (Map.Entry<WrittenForm, List<ByteBuffer>> each : file.answers().entrySet()) {
        Group group = new Group(each.getKey(), file, each.getValue(), written);
        dormant.merge(each.getKey().shape(), List.of(group), Survivors::both);
        count += each.getValue().size();
      }
      LOG.info("Warm start: file={} answers={} written_ago={}", path, count, ago);
    } catch (AnswerFileException | IOException | RuntimeException e) {
      forget();
      leave(String.valueOf(e.getMessage()));
    }
  }

  private void leave(String why) {
    LOG.warn("Warm start: file={} is left alone, since {}", settings.file(), why);
  }

  private static List<Group> both(List<Group> some, List<Group> more) {
    return Stream.concat(some.stream(), more.stream()).toList();
  }

  /** Whether an answer may still be put back: what is dormant becomes less only while it is. */
  public boolean mayPutBack() {
    return !dormant.isEmpty() || puttingBack.get() > 0;
  }

  /** Whether the feed is to begin where the file ends. */
  public boolean hasPlace() {
    return !dormant.isEmpty();
  }

  /** The feed follows: what it could not begin from is of no use. Begins to write now and then. */
  public void begin() {
    if (!dormant.isEmpty() && !board.isFresh(Footprint.NOTHING, opened.tick())) {
      forget();
      leave("the feed cannot begin at its place any more, or has begun late");
    }
    Thread writer = new Thread(() -> run(), "warm-shelf-file");
    writer.setDaemon(true);
    thread = writer;
    writer.start();
    Thread last = new Thread(() -> close(), "warm-shelf-file-last");
    try {
      Runtime.getRuntime().addShutdownHook(last);
      atExit = last;
    } catch (IllegalStateException e) {
      LOG.debug("The program ends already", e);
    }
  }

  private void forgetExit() {
    Thread last = atExit;
    if (last != null && last != Thread.currentThread()) {
      try {
        Runtime.getRuntime().removeShutdownHook(last);
      } catch (IllegalStateException e) {
        LOG.debug("The program ends already", e);
      }
    }
  }

  private void run() {
    try {
      while (!closed.await(pauseNanos(), TimeUnit.NANOSECONDS)) {
        if (time.nanos() - opened.nanos() > DORMANT.toNanos()) {
          tellOfTheRest();
          forget();
        }
        if (isDue()) {
          write();
        }
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** What an operator may have expected to be put back. */
  private void tellOfTheRest() {
    int forms = 0;
    int answers = 0;
    for (List<Group> groups : dormant.values()) {
      forms += groups.size();
      answers += groups.stream().mapToInt(group -> group.answers().size()).sum();
    }
    if (answers > 0) {
      LOG.info(
          "Warm start: file={} {} answers to {} forms of questions were of no use: within {} nobody"
              + " has asked such a question, or its statement, schema or session is another now",
          settings.file(),
          answers,
          forms,
          DORMANT);
    }
  }

  private long pauseNanos() {
    return Math.max(settings.every().toNanos(), WRITING_REST * tookNanos);
  }

  private boolean isDue() {
    return stateNow() != writtenState || time.nanos() - writtenNanos > AT_LEAST.toNanos();
  }

  /** Differs once an answer has been kept, or anything has changed. */
  private long stateNow() {
    long state = board.settled();
    for (AnswerShelf shelf : shelves) {
      var counts = shelf.meters().snapshot();
      state += counts.get(Count.FILLS) + counts.get(Count.MENDED) + counts.get(Count.RESTORED);
    }
    return state;
  }

  /**
   * Forgets what has not been put back. Whoever clears calls it first: he may name what nobody has
   * asked for yet. What is being put back just now is held once this returns.
   */
  public void forget() {
    synchronized (dormant) {
      dormant.clear();
      forgotten++;
    }
  }

  /**
   * The database has said what a statement means: its answers that outlived their process are put
   * back, if it meant the same to that.
   */
  public void admit(KeyShape shape, AnswerShelf shelf, AnswerForm form, Judged judged) {
    if (dormant.isEmpty()) {
      return;
    }
    Map<String, String> prints = judged.prints();
    if (prints == null || !dormant.containsKey(shape)) {
      return;
    }
    synchronized (dormant) {
      List<Group> rest = new ArrayList<>();
      for (Group group : dormant.getOrDefault(shape, List.of())) {
        WrittenForm written = group.form();
        if (written.shelf().equals(shelf.name()) && written.prints().equals(prints)) {
          putBack(group, shelf, form, judged);
        } else {
          rest.add(group); // of values of other types, perhaps
        }
      }
      if (rest.isEmpty()) {
        dormant.remove(shape);
      } else {
        dormant.put(shape, rest);
      }
    }
  }

  /** Some at once; if there are many, the others in the background, while callers go on. */
  private void putBack(Group group, AnswerShelf shelf, AnswerForm form, Judged judged) {
    List<Lane> meanings = judged.standsOn().stream().map(Known::lane).toList();
    Back back = new Back(group, shelf, form, meanings, forgotten);
    puttingBack.getAndIncrement();
    if (back.next()) {
      puttingBack.getAndDecrement();
    } else {
      Thread rest = new Thread(back, "warm-shelf-file-answers");
      rest.setDaemon(true);
      rest.start();
    }
  }

  /** Puts answers of one form back, some at a time. */
  private final class Back implements Runnable {
    private final Group group;
    private final AnswerShelf shelf;
    private final AnswerForm form;
    private final List<Lane> meanings;
    private final int generation;
    private int done;

    Back(Group group, AnswerShelf shelf, AnswerForm form, List<Lane> meanings, int generation) {
      this.group = group;
      this.shelf = shelf;
      this.form = form;
      this.meanings = meanings;
      this.generation = generation;
    }

    @Override
    public void run() {
      boolean over = false;
      try {
        while (!over) {
          synchronized (dormant) {
            over = generation != forgotten || closed.getCount() == 0 || next();
          }
        }
      } finally {
        puttingBack.getAndDecrement();
      }
    }

    /** Puts some back; whether these were the last. */
    boolean next() {
      try {
        int end = Math.min(done + AT_ONCE, group.answers().size());
        for (; done < end; done++) {
          putBack(group.file().answer(group.answers().get(done)));
        }
        return done == group.answers().size();
      } catch (RuntimeException e) {
        leave("an answer of it cannot be read: " + e);
        return true;
      }
    }

    private void putBack(WrittenAnswer written) {
      Answer answer = form.readWritten(written.columns(), written.rows());
      Times times = written.times();
      long filled = group.writtenNanos() - times.age();
      Entry entry =
          shelf.entryOf(
              LoadedBy.EARLIER_PROCESS,
              Key.ofWritten(group.form().shape(), written.key().array()),
              answer,
              Footprint.of(written.lanes()).and(meanings),
              new Fence(opened.tick(), filled - times.load()),
              filled,
              new Life(times.lifetime(), times.sinceUse()));
      entry.use(group.writtenNanos() - times.idle());
      shelf.putBack(entry);
    }
  }

  /** Writes what is fresh just now, as far as anybody can say what that is. */
  private void write() {
    long state = stateNow();
    FeedPlace place = feed.place().orElse(null); // first: see the rule
    if (place == null) {
      return;
    }
    long now = time.nanos();
    try {
      if (!lock.take()) {
        if (troublesTold.add("locked")) {
          LOG.warn(
              "Warm start: file={} is written by somebody else as long as he is there",
              settings.file());
        }
        return;
      }
      int count = write(new FileHead(program, time.wall(), place), now);
      writtenState = state;
      writtenNanos = now;
      tookNanos = time.nanos() - now;
      LOG.debug("Warm start: file={} written with {} answers", settings.file(), count);
    } catch (IOException | RuntimeException e) {
      if (troublesTold.add(e.getClass().getName())) {
        LOG.warn(
            "Warm start: file={} cannot be written; an earlier one stays. Told once per cause.",
            settings.file(),
            e);
      }
    }
  }

  private int write(FileHead head, long now) throws IOException {
    Map<Lane, Known> meanings = verdicts.byLane();
    try (AnswerFileWriter out = new AnswerFileWriter(settings.file(), head, settings.atMost())) {
      Writing writing = new Writing(out, meanings, now);
      shelves.forEach(shelf -> shelf.tellOutliving(entry -> writing.write(shelf, entry)));
      writing.throwIfFailed();
      return out.finish();
    }
  }

  /** One writing of the file. */
  private static final class Writing {
    private final AnswerFileWriter out;
    private final Map<Lane, Known> meanings;
    private final long now;
    private final Map<Set<Lane>, Map<String, String>> prints = new HashMap<>();
    private @Nullable IOException failure;

    Writing(AnswerFileWriter out, Map<Lane, Known> meanings, long now) {
      this.out = out;
      this.meanings = meanings;
      this.now = now;
    }

    void write(AnswerShelf shelf, Entry entry) {
      if (failure != null || !(entry.value() instanceof Answer)) {
        return;
      }
      Map<String, String> found = printsOf(entry.footprint());
      if (found.isEmpty()) {
        return; // nobody knows any more what its statement stood on
      }
      try {
        out.write(new WrittenForm(shelf.name(), entry.key().form(), found), entry, now);
      } catch (IOException e) {
        failure = e;
      }
    }

    private Map<String, String> printsOf(Footprint footprint) {
      Set<Lane> lanes = new HashSet<>();
      footprint.lanes().stream().filter(Lane::isMeaning).forEach(lanes::add);
      return prints.computeIfAbsent(
          lanes,
          all -> {
            List<Known> known = all.stream().map(meanings::get).filter(k -> k != null).toList();
            boolean complete = !all.isEmpty() && known.size() == all.size();
            Map<String, String> of = complete ? Verdicts.prints(known) : null;
            return of == null ? Map.of() : of;
          });
    }

    void throwIfFailed() throws IOException {
      if (failure != null) {
        throw failure;
      }
    }
  }

  /**
   * Writes once more; to be called while the feed follows and the shelves are open. Once it has
   * been, it does nothing.
   */
  public synchronized void close() {
    Thread writer = thread;
    if (writer == null || closed.getCount() == 0) {
      return;
    }
    closed.countDown();
    forgetExit();
    try {
      writer.join(CLOSING.toMillis());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    if (writer.isAlive()) {
      return; // it writes still
    }
    write();
    try {
      lock.close();
    } catch (IOException e) {
      LOG.debug("The lock of {} was gone already", settings.file(), e);
    }
  }
}
