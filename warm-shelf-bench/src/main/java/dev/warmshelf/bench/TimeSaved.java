package dev.warmshelf.bench;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.store.Room;
import dev.warmshelf.trial.MovableTime;
import dev.warmshelf.trial.Zipf;
import java.io.PrintStream;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.function.IntToLongFunction;

/**
 * What each choice of what leaves first saves of the time that loads take, beside a choice that
 * knows the future.
 *
 * <p>Streams: questions by Zipf's law, whose load times and sizes are skewed, each independently of
 * the other; the same while the popular ones change; the same with changes that invalidate. Memory
 * for 2, 5, 10 and 25 percent of all answers' bytes.
 *
 * <p>The clairvoyant choice has the answer leave that takes the most room for the longest time
 * until it is asked for again, by what its load takes: as an exact optimum is out of reach for
 * answers of different sizes, this is the best known rule, and not a bound.
 */
public final class TimeSaved {
  private static final int QUESTIONS = 5_000;
  private static final int ASKED = 200_000;
  private static final Duration STEP = Duration.ofMillis(10);
  private static final double[] MEMORY = {0.02, 0.05, 0.1, 0.25};

  private TimeSaved() {}

  /**
   * What is asked, one after the other: a question's number, or if negative, -1 less that of one
   * which is invalidated.
   */
  private static final class Stream {
    private final String name;
    private final int[] asked;
    private final long[] costNanos;
    private final long[] bytes;

    Stream(String name, int[] asked, long[] costNanos, long[] bytes) {
      this.name = name;
      this.asked = asked;
      this.costNanos = costNanos;
      this.bytes = bytes;
    }

    long allBytes() {
      return Arrays.stream(bytes).sum();
    }
  }

  /** Prints a table. */
  public static void main(String[] arguments) {
    PrintStream out = System.out;
    List<Stream> streams =
        List.of(
            zipf("Zipf 0.8", 0.8, 0, 0, 1),
            zipf("Zipf 1.0", 1.0, 0, 0, 2),
            zipf("shifting", 1.0, 30_000, 0, 3),
            zipf("changing", 1.0, 0, 0.2, 4));
    out.printf(Locale.ROOT, "%-10s %7s", "stream", "memory");
    for (Leaving leaving : Leaving.values()) {
      out.printf(" %17s", leaving.name().toLowerCase(Locale.ROOT).replace('_', ' '));
    }
    out.println("  (time saved, of clairvoyant)");
    for (Stream stream : streams) {
      for (double part : MEMORY) {
        long memory = (long) (stream.allBytes() * part);
        double best = clairvoyant(stream, memory);
        out.printf(Locale.ROOT, "%-10s %6.0f%%", stream.name, part * 100);
        for (Leaving leaving : Leaving.values()) {
          out.printf(Locale.ROOT, " %16.1f%%", 100 * saved(stream, memory, leaving) / best);
        }
        out.println();
      }
    }
  }

  private static Stream zipf(String name, double skew, int shift, double changes, long seed) {
    SplittableRandom random = new SplittableRandom(seed);
    Zipf ranks = new Zipf(QUESTIONS, skew);
    int[] order = new int[QUESTIONS];
    Arrays.setAll(order, i -> i);
    shuffle(order, QUESTIONS, random);
    int[] asked = new int[ASKED];
    for (int i = 0; i < ASKED; i++) {
      if (shift > 0 && i % shift == shift - 1) {
        shuffle(order, 500, random); // other questions are the popular ones now
      }
      int question = order[ranks.draw(random)];
      asked[i] = random.nextDouble() < changes ? -1 - order[random.nextInt(QUESTIONS)] : question;
    }
    long[] cost = skewed(i -> 200_000, 1.5, random);
    long[] bytes = skewed(i -> 2_000, 1.5, random);
    return new Stream(name, asked, cost, bytes);
  }

  /** Times e to the power of a normal variable of this deviation. */
  private static long[] skewed(
      IntToLongFunction middle, double deviation, SplittableRandom random) {
    long[] values = new long[QUESTIONS];
    for (int i = 0; i < QUESTIONS; i++) {
      double normal =
          Math.sqrt(-2 * Math.log(1 - random.nextDouble()))
              * Math.cos(2 * Math.PI * random.nextDouble());
      values[i] = (long) (middle.applyAsLong(i) * Math.exp(deviation * normal)) + 400;
    }
    return values;
  }

  private static void shuffle(int[] order, int first, SplittableRandom random) {
    for (int i = 0; i < first; i++) {
      int other = i + random.nextInt(order.length - i);
      int swapped = order[i];
      order[i] = order[other];
      order[other] = swapped;
    }
  }

  private static double saved(Stream stream, long memory, Leaving leaving) {
    MovableTime time = new MovableTime();
    BoundedStore store =
        new BoundedStore(new Room(memory, Long.MAX_VALUE, memory / 8, leaving, time), Keeper.NONE);
    Key[] keys = keys();
    double saved = 0;
    for (int each : stream.asked) {
      time.pass(STEP);
      int question = each < 0 ? -1 - each : each;
      Entry kept = store.get(keys[question]);
      if (each < 0) {
        if (kept != null) {
          store.remove(kept);
        }
      } else if (kept != null) {
        kept.use(time.nanos());
        saved += stream.costNanos[question];
      } else {
        Fence fence = new Fence(0, time.nanos() - stream.costNanos[question]);
        Fill fill = new Fill(fence, 0, time.nanos(), Life.WITHOUT_END, Renewable.NOT);
        long own = stream.bytes[question] - 300; // what an entry takes beside its value
        byte[] value = new byte[(int) Math.max(0, Math.min(own, 50_000_000))];
        store.put(new Entry(keys[question], value, Footprint.NOTHING, fill));
      }
    }
    return saved;
  }

  private static Key[] keys() {
    Key[] keys = new Key[QUESTIONS];
    KeyShape shape = KeyShape.of("bench", "q");
    Arrays.setAll(keys, i -> Key.of(shape, new String[] {"id"}, new Object[] {i}));
    return keys;
  }

  private static double clairvoyant(Stream stream, long memory) {
    int[] next = nextUses(stream);
    Map<Integer, Integer> kept = new HashMap<>(); // question, and when it is asked next
    long held = 0;
    double saved = 0;
    for (int i = 0; i < stream.asked.length; i++) {
      int each = stream.asked[i];
      int question = each < 0 ? -1 - each : each;
      Integer there = kept.remove(question);
      if (there != null) {
        held -= stream.bytes[question];
      }
      if (each < 0) {
        continue;
      }
      saved += there == null ? 0 : stream.costNanos[question];
      if (next[i] == Integer.MAX_VALUE) {
        continue; // never asked for again before it changes
      }
      kept.put(question, next[i]);
      held += stream.bytes[question];
      if (held > memory) {
        held = makeRoom(stream, kept, held, memory, i);
      }
    }
    return saved;
  }

  private static long makeRoom(
      Stream stream, Map<Integer, Integer> kept, long held, long memory, int now) {
    Map<Integer, Double> worth = new HashMap<>();
    kept.forEach(
        (question, next) ->
            worth.put(
                question,
                (double) stream.costNanos[question] / stream.bytes[question] / (next - now)));
    List<Integer> leaving = new ArrayList<>(kept.keySet());
    leaving.sort(Comparator.comparing(worth::get));
    long left = held;
    for (int question : leaving) {
      if (left <= memory) {
        break;
      }
      kept.remove(question);
      left -= stream.bytes[question];
    }
    return left;
  }

  /** When each question is asked next; never, if it is invalidated before. */
  private static int[] nextUses(Stream stream) {
    int[] next = new int[stream.asked.length];
    int[] known = new int[QUESTIONS];
    Arrays.fill(known, Integer.MAX_VALUE);
    for (int i = next.length - 1; i >= 0; i--) {
      int each = stream.asked[i];
      if (each < 0) {
        known[-1 - each] = Integer.MAX_VALUE;
      } else {
        next[i] = known[each];
        known[each] = i;
      }
    }
    return next;
  }
}
