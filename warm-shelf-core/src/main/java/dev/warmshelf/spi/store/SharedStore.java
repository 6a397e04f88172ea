package dev.warmshelf.spi.store;

import dev.warmshelf.spi.feed.FeedPlace;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.util.Collection;
import java.util.List;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * Where several processes keep answers for each other: bytes under digests. It need not understand
 * them, nor keep them: what it has lost is loaded again, and what it has kept for too long is found
 * out by whoever reads it. It must never give bytes under another digest than theirs, and must know
 * how long it has had them.
 *
 * <p>The library never trusts it to be there. Callers wait for {@link #get} and {@link #lease}, so
 * these end within {@link #answersWithin}, one way or the other; all else is called on threads that
 * nobody waits for. Whatever one throws, the store counts as away until {@link #check} succeeds.
 *
 * <p>{@link SharedStoreTrial} tries whether a store is one. Implementations are thread-safe.
 */
public interface SharedStore extends AutoCloseable {
  /** What it is, and where, for the log; without passwords. */
  String describe();

  /** How long a caller waits for it at most. */
  Duration answersWithin();

  /**
   * Connects, as far as that is not done, and finds out whether it works. May take seconds.
   *
   * @throws SharedStoreException if it does not, with what to do
   */
  void check() throws SharedStoreException;

  /**
   * What is kept under a digest.
   *
   * @return null if nothing is
   * @throws SharedStoreException if that could not be found out in time
   */
  @Nullable Stored get(byte[] digest) throws SharedStoreException;

  /**
   * The moment by the store's own clock, for {@link #put}: in nanoseconds, from whenever it counts.
   *
   * @throws SharedStoreException if that could not be found out
   */
  long moment() throws SharedStoreException;

  /**
   * Keeps bytes under a digest, in place of what was there.
   *
   * @param moment from when on their age is counted. However long the way of the bytes to the
   *     store, they are made after that, so that nobody takes them for younger than they are
   * @throws SharedStoreException if that was not possible
   */
  void put(byte[] digest, byte[] bytes, long moment, Facts facts) throws SharedStoreException;

  /**
   * Notes that answers have been of use.
   *
   * @throws SharedStoreException if that was not possible
   */
  void used(Collection<byte[]> digests) throws SharedStoreException;

  /**
   * The right to load what belongs under a digest, for one holder at a time. It ends with its
   * holder's process, in whatever way that ends.
   *
   * @return null if another process has it, or none can be had just now
   * @throws SharedStoreException if that could not be found out in time
   */
  @Nullable Lease lease(byte[] digest) throws SharedStoreException;

  /**
   * Has what is of no use leave, and what is of the least use if it is too full. Called now and
   * then by each process.
   *
   * @throws SharedStoreException if that was not possible
   */
  void trim() throws SharedStoreException;

  /**
   * Notes how far a process's feed is, for those that begin later.
   *
   * @throws SharedStoreException if that was not possible
   */
  void note(FeedPlace place) throws SharedStoreException;

  /**
   * The oldest place that was noted within the last while.
   *
   * @throws SharedStoreException if that could not be found out
   */
  Optional<FeedPlace> oldestPlace(Duration within) throws SharedStoreException;

  /**
   * What is kept, of most worth first.
   *
   * @param most how many to list
   * @throws SharedStoreException if that could not be found out
   */
  List<Listed> list(int most) throws SharedStoreException;

  /**
   * Removes what is kept.
   *
   * @param shelf of this shelf alone; empty for any
   * @param digest whose digest begins so, in hexadecimal digits; empty for any
   * @return how many
   * @throws SharedStoreException if that was not possible
   */
  int forget(String shelf, String digest) throws SharedStoreException;

  /** Gives up its connections, and with them this process's leases. */
  @Override
  void close();

  /**
   * What is kept under a digest.
   *
   * @param bytes as they were put; for one reader
   * @param ageNanos since the moment that was said when they were put, by the store's own clock
   */
  record Stored(ByteBuffer bytes, long ageNanos) {}

  /**
   * What a store may know of bytes.
   *
   * @param shelf whose they are
   * @param form the digest of the form of question, in hexadecimal digits
   * @param loadNanos how long their load took
   * @param lifeNanos how long they can be of use from now on; {@link Long#MAX_VALUE} for ever
   */
  record Facts(String shelf, String form, long loadNanos, long lifeNanos) {}

  /**
   * One of the things kept.
   *
   * @param digest in hexadecimal digits
   * @param facts what was said of it
   * @param bytes how many it has
   * @param age since it was put
   * @param idle since it was last of use, as far as is known
   */
  record Listed(String digest, Facts facts, long bytes, Duration age, Duration idle) {}

  /** A right to load; closed by its holder when the answer is kept, or will not be. */
  interface Lease extends AutoCloseable {
    /** Gives it up. May take time, and throws nothing. */
    @Override
    void close();
  }
}
