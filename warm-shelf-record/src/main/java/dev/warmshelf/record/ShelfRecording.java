package dev.warmshelf.record;

import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.shelf.read.Recorder;
import dev.warmshelf.store.Content;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.LongAdder;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Writes every question that shelves are asked to a file, and which tables change, in the format of
 * docs/recording.md.
 *
 * <pre>{@code
 * try (ShelfRecording recording = ShelfRecording.to(Path.of("questions.jsonl.gz")).open()) {
 *   warm.recordTo(recording);
 *   ...
 *   warm.recordTo(null);
 * }
 * }</pre>
 *
 * <p>A reader only puts its question into a queue of bounded length; the key's digest, compression
 * and the disk are a thread's of its own. Who reads an answer first while it is recorded, most
 * often who has just loaded it, also works out its size and fingerprint, so that no answer waits in
 * the queue and takes memory. Where the thread cannot keep up, questions are left out and counted
 * as lost. The file is bounded, too. If writing fails, recording ends, which is logged; readers
 * notice nothing.
 *
 * <p>Parameters are written as they are: a recording holds what callers asked for. {@link
 * Plan#withoutParameters} leaves them out.
 *
 * <p>Thread-safe.
 */
@SuppressWarnings("exports") // what it implements is the engine's
public final class ShelfRecording implements Recorder, AutoCloseable {
  private static final Logger LOG = LoggerFactory.getLogger(ShelfRecording.class);
  private static final int WAITING_AT_MOST = 16_384;
  private static final int AT_ONCE = 512;
  private static final long FLUSH_NANOS = TimeUnit.SECONDS.toNanos(1);

  private final ArrayBlockingQueue<Noted> waiting = new ArrayBlockingQueue<>(WAITING_AT_MOST);
  private final LongAdder lost = new LongAdder();
  private final RecordingWriter writer;
  private final Path file;
  private final Thread thread;
  private final long beganNanos;
  private volatile boolean closed;
  private volatile boolean ended;

  /** For a program that ends without closing it. */
  private final Thread atExit = new Thread(this::end, "warm-shelf-recording-last");

  /**
   * One question, on its way to the file.
   *
   * @param atNanos on the monotonic clock
   * @param answer what the answer tells of itself; null if it tells nothing
   */
  record Asked(
      long atNanos,
      String shelf,
      Key key,
      @Nullable AskedQuestion words,
      Origin outcome,
      long loadNanos,
      @Nullable Told answer,
      @Nullable Footprint footprint)
      implements Noted {}

  /** A change, on its way to the file. */
  record Changed(long atNanos, Change change) implements Noted {}

  /** What is on its way to the file. */
  sealed interface Noted {
    /** When it was, on the monotonic clock. */
    long atNanos();
  }

  /** What an answer tells of itself, as {@link Content} has it. */
  record Told(int rows, long bytes, long fingerprint) {}

  private ShelfRecording(Path file, RecordingWriter writer, long beganNanos) {
    this.file = file;
    this.writer = writer;
    this.beganNanos = beganNanos;
    this.thread = new Thread(this::run, "warm-shelf-recording");
    thread.setDaemon(true);
    thread.start();
    try {
      Runtime.getRuntime().addShutdownHook(atExit);
    } catch (IllegalStateException e) {
      LOG.debug("The program ends already", e);
    }
  }

  /** Begins to say what to record. */
  public static Plan to(Path file) {
    return new Plan(Objects.requireNonNull(file, "file"), true, Plan.MOST_BYTES, Plan.EARLIER);
  }

  /**
   * What to record. Immutable.
   *
   * @param file what to write
   * @param parameters whether the values of parameters are written
   * @param mostBytes how big the file may become, but for a last few kilobytes
   * @param earlier how many recordings that were made before under this name stay beside it
   */
  public record Plan(Path file, boolean parameters, long mostBytes, int earlier) {
    private static final int EARLIER = 4;
    private static final long MOST_BYTES = 256L << 20;
    private static final long LEAST_BYTES = 4_096;

    /** Leaves the values of parameters out; such a recording cannot be asked again. */
    public Plan withoutParameters() {
      return new Plan(file, false, mostBytes, earlier);
    }

    /**
     * Bounds the file; by default to 256 MiB. A full recording ends.
     *
     * @throws IllegalArgumentException if that is less than 4 KiB
     */
    public Plan atMost(long bytes) {
      if (bytes < LEAST_BYTES) {
        throw new IllegalArgumentException(
            "A recording takes at least " + LEAST_BYTES + " bytes, but was given " + bytes + ".");
      }
      return new Plan(file, parameters, bytes, earlier);
    }

    /**
     * How many recordings that were made before under this name stay beside it; by default 4. The
     * newest is {@code NAME.1.jsonl.gz} where this one is {@code NAME.jsonl.gz}; the oldest goes.
     *
     * @throws IllegalArgumentException if it is less than none
     */
    public Plan keepingEarlier(int recordings) {
      if (recordings < 0) {
        throw new IllegalArgumentException("Less than no recording cannot stay.");
      }
      return new Plan(file, parameters, mostBytes, recordings);
    }

    /**
     * Opens the file and begins. It ends with {@link ShelfRecording#close}, or else as the virtual
     * machine does in good order, such as by SIGTERM.
     *
     * @throws IOException if it cannot be written, or something that is no recording is in the way
     */
    public ShelfRecording open() throws IOException {
      long began = System.nanoTime();
      return new ShelfRecording(file, new RecordingWriter(this, Instant.now()), began);
    }
  }

  @Override
  public void asked(
      String shelf,
      Key key,
      @Nullable AskedQuestion words,
      Origin outcome,
      long loadNanos,
      @Nullable Object answer,
      @Nullable Footprint footprint) {
    Told told =
        answer instanceof Content content
            ? new Told(content.rows(), content.bytes(), content.fingerprint())
            : null;
    note(new Asked(System.nanoTime(), shelf, key, words, outcome, loadNanos, told, footprint));
  }

  @Override
  public void changed(List<Change> changes) {
    long now = System.nanoTime();
    changes.forEach(change -> note(new Changed(now, change)));
  }

  private void note(Noted asked) {
    if (closed || ended || !waiting.offer(asked)) {
      lost.increment();
    } else if (ended && waiting.remove(asked)) {
      lost.increment(); // it came after the writer's last look, or else that has dealt with it
    }
  }

  /**
   * How many questions and changes were left out so far: too many at once, or after the file was
   * full.
   */
  public long lost() {
    return lost.sum();
  }

  /** How many questions wait to be written just now. */
  public int waiting() {
    return waiting.size();
  }

  /** Whether no more questions are written, since the file is full or cannot be written. */
  public boolean isEnded() {
    return ended;
  }

  /** Writes what is waiting, and closes the file. */
  @Override
  public void close() {
    try {
      Runtime.getRuntime().removeShutdownHook(atExit);
    } catch (IllegalStateException e) {
      LOG.debug("The program ends already", e);
    }
    end();
  }

  private void end() {
    closed = true;
    try {
      thread.join();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void write(List<Noted> batch) throws IOException {
    for (Noted noted : batch) {
      if (!writer.write(noted, noted.atNanos() - beganNanos)) {
        lost.increment();
      }
    }
    batch.clear();
  }

  private void run() {
    try {
      writeUntilClosed();
      ended = true;
      List<Noted> late = new ArrayList<>();
      waiting.drainTo(late);
      write(late);
      if (writer.isFull()) {
        LOG.warn("The recording {} has reached its bound; it ends here.", file);
      }
      writer.end(lost.sum());
    } catch (IOException | RuntimeException e) {
      ended = true;
      LOG.error("The recording {} cannot be written; it ends here.", file, e);
    } catch (InterruptedException e) {
      ended = true;
      Thread.currentThread().interrupt();
    }
  }

  private void writeUntilClosed() throws IOException, InterruptedException {
    List<Noted> batch = new ArrayList<>(AT_ONCE);
    long flushed = System.nanoTime();
    long lostWritten = 0;
    boolean last;
    do {
      last = closed;
      Noted first = waiting.poll(last ? 0 : 50, TimeUnit.MILLISECONDS);
      if (first != null) {
        batch.add(first);
        waiting.drainTo(batch, AT_ONCE);
        last = false;
      }
      write(batch);
      long lostNow = lost.sum();
      if (lostNow > lostWritten) {
        writer.lost(lostNow - lostWritten);
        lostWritten = lostNow;
      }
      long now = System.nanoTime();
      if (now - flushed > FLUSH_NANOS) {
        writer.flush();
        flushed = now;
      }
    } while (!last && !writer.isFull());
  }
}
