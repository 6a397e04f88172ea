package dev.warmshelf.bench;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Fence;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.store.BoundedStore;
import dev.warmshelf.store.Entry;
import dev.warmshelf.store.Fill;
import dev.warmshelf.store.Fill.Life;
import dev.warmshelf.store.Fill.Renewable;
import dev.warmshelf.store.Keeper;
import dev.warmshelf.store.Room;
import java.lang.management.ManagementFactory;
import java.lang.management.ThreadMXBean;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.List;
import java.util.Locale;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * What it costs to put an entry into a full store of a million used ones, and how well the estimate
 * of bytes fits the heap.
 */
public final class StoreCost {
  private static final int ENTRIES = 1_000_000;
  private static final int PUTS = 500_000;

  private StoreCost() {}

  /** A row of the query. */
  public record Row(int id, long large, String name, LocalDate day, BigDecimal price) {}

  public static void main(String[] arguments) throws Exception {
    boolean weighOnly = arguments.length > 0;
    for (Leaving leaving :
        weighOnly
            ? List.<Leaving>of()
            : List.of(Leaving.LEAST_TIME_SAVED, Leaving.LONGEST_UNUSED)) {
      putIntoFull(leaving);
    }
    try (LocalPostgres server = LocalPostgres.start()) {
      PGSimpleDataSource source = server.dataSource("postgres");
      try (Connection connection = source.getConnection();
          Statement statement = connection.createStatement()) {
        statement.execute(
            "CREATE TABLE item AS SELECT i AS id, i * 1000000007::bigint AS large,"
                + " 'Nummer ' || i AS name, date '2026-01-01' + i % 365 AS day,"
                + " (i % 9999)::numeric / 100 AS price FROM generate_series(0, 999999) i;"
                + " ALTER TABLE item ADD PRIMARY KEY (id)");
      }
      Journal.on(source).install(List.of("item:id"));
      System.out.println("estimate / heap, by rows an answer:");
      for (int rows : new int[] {1, 10, 500}) {
        weigh(source, rows, false);
        weigh(source, rows, true);
      }
    }
  }

  private static void putIntoFull(Leaving leaving) {
    try (SystemTime time = SystemTime.start()) {
      Room room = new Room(Long.MAX_VALUE, ENTRIES, Long.MAX_VALUE, leaving, time);
      BoundedStore store = new BoundedStore(room, Keeper.NONE);
      for (int id = 0; id < ENTRIES; id++) {
        Entry entry = entry(id, time);
        entry.use(time.coarseNanos());
        store.put(entry);
      }
      System.gc();
      Timings puts = new Timings();
      ThreadMXBean threads = ManagementFactory.getThreadMXBean();
      long longestAtWork = 0;
      int kept = 0;
      for (int id = ENTRIES; id < ENTRIES + PUTS; id++) {
        Entry entry = entry(id, time);
        long working = threads.getCurrentThreadCpuTime();
        long began = System.nanoTime();
        kept += store.put(entry) ? 1 : 0;
        puts.record(System.nanoTime() - began);
        longestAtWork = Math.max(longestAtWork, threads.getCurrentThreadCpuTime() - working);
      }
      System.out.printf(
          Locale.ROOT,
          "put into a full store of %,d used entries, %s: median %.1f us, 99.9 %% %.1f us,"
              + " longest %.1f us, of which at most %.1f us at work (the rest is the collector's and"
              + " the machine's); %,d of %,d kept%n",
          ENTRIES,
          leaving.name().toLowerCase(Locale.ROOT).replace('_', ' '),
          puts.nanosAt(50) / 1e3,
          puts.nanosAt(99.9) / 1e3,
          puts.mostNanos() / 1e3,
          longestAtWork / 1e3,
          kept,
          PUTS);
    }
  }

  private static Entry entry(int id, SystemTime time) {
    Key key = Key.of(KeyShape.of("bench", "q"), new String[] {"id"}, new Object[] {id});
    long now = time.nanos();
    Fence fence = new Fence(0, now - 100_000 - (id * 7919L) % 10_000_000);
    Fill fill = new Fill(fence, 0, now, Life.WITHOUT_END, Renewable.NOT);
    return new Entry(key, "answer", Footprint.NOTHING, fill);
  }

  private static void weigh(PGSimpleDataSource source, int rows, boolean mapped) throws Exception {
    int answers = Math.min(4_000, 400_000 / rows);
    try (WarmShelf warm =
        WarmShelf.over(source)
            .following(JournalFeed.on(source))
            .shelf("main", policy -> policy.holding(Capacity.ofHeap(0.8)))
            .open()) {
      ShelvedQuery<Row> query =
          warm.query(
                  "SELECT id, large, name, day, price FROM item WHERE id >= :from AND id < :until")
              .as(Row.class);
      query.with("from", -2).with("until", -1).list();
      long before = used();
      for (int i = 0; i < answers; i++) {
        var question = query.with("from", i * rows).with("until", (i + 1) * rows);
        question.list();
        if (mapped) {
          query.with("from", i * rows).with("until", (i + 1) * rows).list();
        }
      }
      long heap = used() - before;
      HeldSize held = AnswerShelf.of(warm.shelf("main")).held().values().iterator().next();
      System.out.printf(
          Locale.ROOT,
          "  %,5d rows, %,9d answers%s: %.2f (%,d bytes an answer)%n",
          rows,
          held.entries(),
          mapped ? ", asked twice" : "",
          held.bytes() / (double) heap,
          heap / answers);
    }
  }

  private static long used() {
    for (int i = 0; i < 4; i++) {
      System.gc();
    }
    Runtime runtime = Runtime.getRuntime();
    return runtime.totalMemory() - runtime.freeMemory();
  }
}
