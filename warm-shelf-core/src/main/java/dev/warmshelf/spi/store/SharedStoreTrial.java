package dev.warmshelf.spi.store;

import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.store.SharedStore.Facts;
import dev.warmshelf.spi.store.SharedStore.Lease;
import dev.warmshelf.spi.store.SharedStore.Listed;
import dev.warmshelf.spi.store.SharedStore.Stored;
import java.nio.ByteBuffer;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.Random;
import org.jspecify.annotations.Nullable;

/**
 * Tries whether a store is what {@link SharedStore} says. For the tests of whoever writes one:
 *
 * <pre>{@code
 * assertThat(SharedStoreTrial.failures(() -> new MyStore(somewhereEmpty))).isEmpty();
 * }</pre>
 *
 * <p>What it puts there it removes. For one thread.
 */
public final class SharedStoreTrial {
  private static final int DIGEST_BYTES = 32;
  private static final int LARGE = 1 << 20;
  private static final int THREADS = 4;
  private static final int ROUNDS = 50;
  private static final String FORM = "f".repeat(2 * DIGEST_BYTES);

  private final SharedStore one;
  private final SharedStore other;
  private final Random random = new Random(1);
  private final List<String> failures = new ArrayList<>();

  /** Opens the store. */
  public interface Opening {
    /**
     * Opens it as another process would.
     *
     * @throws Exception if it cannot
     */
    SharedStore open() throws Exception;
  }

  private interface Step {
    void take() throws Exception;
  }

  private SharedStoreTrial(SharedStore one, SharedStore other) {
    this.one = one;
    this.other = other;
  }

  /**
   * What a store does otherwise than it must, in words.
   *
   * @param opening called several times; all must lead to the same store, which holds nothing yet
   * @return empty if nothing was found
   * @throws Exception if it cannot be opened
   */
  public static List<String> failures(Opening opening) throws Exception {
    try (SharedStore one = opening.open();
        SharedStore other = opening.open()) {
      one.check();
      other.check();
      SharedStoreTrial trial = new SharedStoreTrial(one, other);
      trial.all(opening);
      return trial.failures;
    }
  }

  private void all(Opening opening) {
    step("what was put is given, to each process, under its digest alone", this::givesWhatWasPut);
    step("an age is told", this::tellsAges);
    step("what is listed, and what is removed", this::listsAndForgets);
    step("what has ended leaves", this::trims);
    step("places are noted", this::notes);
    step("a lease has one holder", this::leases);
    step("a lease ends with its holder", () -> leaseEnds(opening));
    step("many at once do not mix", this::manyAtOnce);
    step("a store that was closed is no trouble", () -> closed(opening));
  }

  private void step(String what, Step step) {
    try {
      step.take();
    } catch (Exception e) {
      failures.add(what + ": threw " + e);
    }
  }

  private void expect(boolean holds, String what) {
    if (!holds) {
      failures.add(what);
    }
  }

  private byte[] digest() {
    byte[] digest = new byte[DIGEST_BYTES];
    random.nextBytes(digest);
    return digest;
  }

  private static Facts facts(String shelf) {
    return new Facts(shelf, FORM, 1_000_000, Long.MAX_VALUE);
  }

  private static boolean gives(SharedStore store, byte[] digest, byte @Nullable [] bytes)
      throws SharedStoreException {
    Stored found = store.get(digest);
    return bytes == null
        ? found == null
        : found != null && found.bytes().equals(ByteBuffer.wrap(bytes));
  }

  private void givesWhatWasPut() throws SharedStoreException {
    byte[] digest = digest();
    expect(gives(one, digest, null), "gives something where nothing was put");
    for (int size : new int[] {1, 700, LARGE}) {
      byte[] bytes = new byte[size];
      random.nextBytes(bytes);
      one.put(digest, bytes, one.moment(), facts("trial"));
      expect(gives(one, digest, bytes), "does not give " + size + " bytes as they were put");
      expect(gives(other, digest, bytes), "does not give " + size + " bytes to another process");
    }
    byte[] near = digest.clone();
    near[DIGEST_BYTES - 1] ^= 1;
    expect(gives(one, near, null), "gives something under another digest");
    one.forget("", "");
  }

  private void tellsAges() throws SharedStoreException {
    byte[] digest = digest();
    long began = System.nanoTime();
    one.put(digest, new byte[] {1}, one.moment(), facts("trial"));
    Stored first = one.get(digest);
    long atMost = System.nanoTime() - began + Duration.ofMillis(10).toNanos();
    expect(
        first != null && first.ageNanos() >= 0 && first.ageNanos() <= atMost,
        "tells another age than the time since the bytes were put");
    while (System.nanoTime() - began < Duration.ofMillis(50).toNanos()) {
      Thread.onSpinWait();
    }
    Stored later = one.get(digest);
    expect(
        first != null && later != null && later.ageNanos() > first.ageNanos(),
        "tells an age that does not grow");
    long moment = one.moment();
    one.put(digest, new byte[] {2}, moment, facts("trial"));
    Stored anew = one.get(digest);
    expect(
        later != null && anew != null && anew.ageNanos() < later.ageNanos(),
        "tells the age of what was there before");
    one.put(digest, new byte[] {3}, moment - Duration.ofHours(1).toNanos(), facts("trial"));
    Stored late = other.get(digest);
    expect(
        late != null && late.ageNanos() >= Duration.ofHours(1).toNanos(),
        "does not count an age from the moment that was said");
    one.forget("", "");
  }

  private void listsAndForgets() throws SharedStoreException {
    byte[] digest = digest();
    one.put(digest, new byte[] {1, 2, 3}, one.moment(), facts("trial"));
    one.put(digest(), new byte[] {4}, one.moment(), facts("another"));
    one.used(List.of(digest, digest()));
    List<Listed> all = one.list(10);
    String name = HexFormat.of().formatHex(digest);
    expect(all.size() == 2, "lists " + all.size() + " answers of two");
    expect(one.list(1).size() == 1, "lists more than it was asked for");
    expect(
        all.stream()
            .anyMatch(each -> each.digest().equals(name) && each.facts().equals(facts("trial"))),
        "does not list an answer with its digest and facts");
    expect(one.forget("nowhere", "") == 0, "removes what is on another shelf");
    expect(one.forget("", name.substring(0, 12)) == 1, "does not remove one by its digest");
    expect(gives(other, digest, null), "gives what was removed");
    expect(one.forget("another", "") == 1, "does not remove what is on a shelf");
  }

  private void trims() throws SharedStoreException {
    byte[] ended = digest();
    byte[] stays = digest();
    one.put(ended, new byte[] {1}, one.moment(), new Facts("trial", FORM, 1, 1));
    one.put(stays, new byte[] {1}, one.moment(), facts("trial"));
    one.trim();
    expect(gives(one, ended, null), "gives what had ended when it was trimmed");
    expect(gives(one, stays, new byte[] {1}), "trims what there is room for");
    one.forget("", "");
  }

  private void notes() throws SharedStoreException {
    FeedPlace place = new FeedPlace("trial\nof a store", "1:2:");
    one.note(place);
    expect(
        other.oldestPlace(Duration.ofMinutes(1)).filter(place::equals).isPresent(),
        "does not give a place that was noted");
  }

  private void leases() throws SharedStoreException {
    byte[] digest = digest();
    Lease held = one.lease(digest);
    expect(held != null, "gives nobody a lease");
    expect(other.lease(digest) == null, "gives two processes one lease");
    Lease another = other.lease(digest());
    expect(another != null, "gives one lease at a time");
    for (Lease each : Arrays.asList(held, another)) {
      if (each != null) {
        each.close();
      }
    }
    Lease next = other.lease(digest);
    expect(next != null, "gives no lease that was given up");
    if (next != null) {
      next.close();
    }
  }

  private void leaseEnds(Opening opening) throws Exception {
    byte[] digest = digest();
    try (SharedStore third = opening.open()) {
      third.check();
      expect(third.lease(digest) != null, "gives a third process no lease");
    }
    Lease next = null;
    long deadline = System.nanoTime() + Duration.ofSeconds(5).toNanos();
    while (next == null && System.nanoTime() < deadline) { // a server may need a moment
      next = one.lease(digest);
    }
    expect(next != null, "does not end a lease with its holder");
    if (next != null) {
      next.close();
    }
  }

  /** Each thread has bytes of its own, under digests that all use. */
  private void manyAtOnce() throws InterruptedException, SharedStoreException {
    List<byte[]> digests = new ArrayList<>();
    for (int i = 0; i < THREADS; i++) {
      digests.add(digest());
    }
    List<String> wrong = java.util.Collections.synchronizedList(new ArrayList<>());
    List<Thread> threads = new ArrayList<>();
    for (int i = 0; i < THREADS; i++) {
      SharedStore store = i % 2 == 0 ? one : other;
      int first = i;
      threads.add(new Thread(() -> putAndGet(store, first, digests, wrong), "trial-" + i));
    }
    threads.forEach(Thread::start);
    for (Thread thread : threads) {
      thread.join();
    }
    failures.addAll(wrong);
    one.forget("", "");
  }

  private static void putAndGet(
      SharedStore store, int first, List<byte[]> digests, List<String> wrong) {
    try {
      for (int i = 0; i < ROUNDS; i++) {
        int number = (first + i) % digests.size();
        byte[] bytes = new byte[1_000];
        Arrays.fill(bytes, (byte) number);
        store.put(digests.get(number), bytes, store.moment(), facts("trial"));
        Stored found = store.get(digests.get(number));
        if (found != null && !found.bytes().equals(ByteBuffer.wrap(bytes))) {
          wrong.add("mixes what several put at once");
          return;
        }
      }
    } catch (SharedStoreException e) {
      wrong.add("many at once: threw " + e);
    }
  }

  private void closed(Opening opening) throws Exception {
    SharedStore third = opening.open();
    third.check();
    third.close();
    third.close();
    try {
      expect(third.get(digest()) == null, "gives something after it was closed");
    } catch (SharedStoreException e) {
      expect(e.getMessage() != null, "throws without a word after it was closed");
    }
  }
}
