package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.metrics.ShelfMetrics;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shelf.Capacity;
import io.micrometer.prometheusmetrics.PrometheusConfig;
import io.micrometer.prometheusmetrics.PrometheusMeterRegistry;
import java.lang.management.ManagementFactory;
import java.sql.Connection;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import javax.management.MBeanAttributeInfo;
import javax.management.MBeanServerConnection;
import javax.management.ObjectName;
import javax.management.remote.JMXConnector;
import javax.management.remote.JMXConnectorFactory;
import javax.management.remote.JMXConnectorServer;
import javax.management.remote.JMXConnectorServerFactory;
import javax.management.remote.JMXServiceURL;

/**
 * What being operated costs a program: hits at 10,000 a second on many entries, alone and while all
 * that an operator may have open is open, in turns: {@code java -Xmx4g -cp ...
 * dev.warmshelf.bench.OperatedProgram [ENTRIES] [SECONDS] [TURNS]}, a million, 20 and 4 unless said
 * otherwise. Open are, over JMX on the loopback: each second what the live page asks, every three
 * seconds (but a twentieth of the time at most) what is held by query, every ten seconds a page of
 * entries and one entry; and each second a scraper's metrics. A row is changed ten times a second
 * all the time.
 */
@SuppressWarnings("FutureReturnValueIgnored") // what runs again and again tells of failures itself
public final class OperatedProgram {
  private static final int LOADERS = 4;
  private static final long GAP_NANOS = 100_000;
  private static final int KEYS = 1 << 16;
  private static final String TEXT = String.class.getName();
  private static final String NUMBER = int.class.getName();

  private OperatedProgram() {}

  /** A row. */
  public record Item(int id, String name) {}

  public static void main(String[] arguments) throws Exception {
    int entries = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 1_000_000;
    int seconds = arguments.length > 1 ? Integer.parseInt(arguments[1]) : 20;
    int turns = arguments.length > 2 ? Integer.parseInt(arguments[2]) : 4;
    try (LocalPostgres server = LocalPostgres.start()) {
      HikariConfig config = new HikariConfig();
      config.setDataSource(server.dataSource("postgres"));
      config.setMaximumPoolSize(LOADERS + 2);
      try (HikariDataSource pool = new HikariDataSource(config)) {
        run(
            pool,
            "CREATE TABLE item AS SELECT i AS id, 'item number ' || i AS name FROM"
                + " generate_series(1, "
                + entries
                + ") i");
        run(pool, "ALTER TABLE item ADD PRIMARY KEY (id)");
        run(pool, "VACUUM ANALYZE item");
        Journal.on(pool).install(List.of("item:id"));
        try (WarmShelf warm =
            WarmShelf.over(pool)
                .room(Capacity.bytes(3L << 30))
                .following(JournalFeed.on(server.dataSource("postgres")))
                .open()) {
          measure(warm, pool, entries, seconds, turns);
        }
      }
    }
  }

  private static void run(HikariDataSource pool, String sql) throws Exception {
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  private static void measure(
      WarmShelf warm, HikariDataSource pool, int entries, int seconds, int turns) throws Exception {
    ShelvedQuery<Item> items =
        warm.query("SELECT id, name FROM item WHERE id = :id").named("item").as(Item.class);
    load(items, entries);
    System.out.println(warm.shelf("main").size() + " entries");
    ScheduledExecutorService writer = writer(pool, entries);
    turn(items, entries, seconds, new Timings());
    Timings alone = new Timings();
    Timings operated = new Timings();
    System.out.println("turn   way           hits      p50       p99      p99.9");
    for (int turn = 1; turn <= turns; turn++) {
      boolean first = turn % 2 == 1;
      for (boolean open : new boolean[] {!first, first}) {
        Timings all = open ? operated : alone;
        Timings before = all.copy();
        if (open) {
          try (Operator operator = new Operator(warm)) {
            turn(items, entries, seconds, all);
          }
        } else {
          turn(items, entries, seconds, all);
        }
        tell(Integer.toString(turn), open, all.since(before));
      }
    }
    writer.shutdownNow();
    tell("all", false, alone);
    tell("all", true, operated);
  }

  /** Changes a row ten times a second. */
  private static ScheduledExecutorService writer(HikariDataSource pool, int entries) {
    ScheduledExecutorService writer = Executors.newScheduledThreadPool(1);
    writer.scheduleAtFixedRate(
        () -> {
          try {
            run(
                pool,
                "UPDATE item SET name = name || '.' WHERE id = "
                    + (1 + ThreadLocalRandom.current().nextInt(entries)));
          } catch (Exception e) {
            System.out.println("not written: " + e);
          }
        },
        100,
        100,
        TimeUnit.MILLISECONDS);
    return writer;
  }

  private static void tell(String turn, boolean open, Timings times) {
    System.out.printf(
        Locale.ROOT,
        "%-4s   %-8s   %7d   %6.2f us   %6.2f us   %6.2f us%n",
        turn,
        open ? "operated" : "alone",
        times.count(),
        times.nanosAt(50) / 1e3,
        times.nanosAt(99) / 1e3,
        times.nanosAt(99.9) / 1e3);
  }

  private static void load(ShelvedQuery<Item> items, int entries) throws Exception {
    ExecutorService threads = Executors.newFixedThreadPool(LOADERS);
    List<Future<?>> all = new ArrayList<>();
    for (int from = 0; from < LOADERS; from++) {
      int first = from;
      all.add(
          threads.submit(
              () -> {
                for (int id = 1 + first; id <= entries; id += LOADERS) {
                  items.with("id", id).first();
                }
                return null;
              }));
    }
    for (Future<?> each : all) {
      each.get();
    }
    threads.shutdown();
  }

  /** One thread asks at its pace; what is no hit is not counted. */
  private static void turn(ShelvedQuery<Item> items, int entries, int seconds, Timings times)
      throws Exception {
    int[] ids = ThreadLocalRandom.current().ints(KEYS, 1, entries + 1).toArray();
    long begin = System.nanoTime();
    long asks = TimeUnit.SECONDS.toNanos(seconds) / GAP_NANOS;
    for (int i = 0; i < asks; i++) {
      long due = begin + i * GAP_NANOS;
      while (System.nanoTime() - due < 0) {
        LockSupport.parkNanos(GAP_NANOS / 4);
      }
      int id = ids[i & (KEYS - 1)];
      long asked = System.nanoTime();
      boolean hit = items.with("id", id).first().origin().isHit();
      long took = System.nanoTime() - asked;
      if (hit) {
        times.record(took);
      }
    }
  }

  /** Whoever has all open that there is. */
  private static final class Operator implements AutoCloseable {
    private final JMXConnectorServer server;
    private final JMXConnector connector;
    private final ScheduledExecutorService threads = Executors.newScheduledThreadPool(2);
    private final PrometheusMeterRegistry registry =
        new PrometheusMeterRegistry(PrometheusConfig.DEFAULT);
    private long nextHeld;
    private long nextLook;

    @SuppressWarnings("BanJNDI") // the address is this process's own
    Operator(WarmShelf warm) throws Exception {
      new ShelfMetrics(warm).bindTo(registry);
      server =
          JMXConnectorServerFactory.newJMXConnectorServer(
              new JMXServiceURL("rmi", "127.0.0.1", 0),
              null,
              ManagementFactory.getPlatformMBeanServer());
      server.start();
      connector = JMXConnectorFactory.connect(server.getAddress());
      MBeanServerConnection asked = connector.getMBeanServerConnection();
      threads.scheduleAtFixedRate(() -> guarded(() -> look(asked)), 0, 1, TimeUnit.SECONDS);
      threads.scheduleAtFixedRate(
          () -> guarded(registry::scrape), 500, 1_000, TimeUnit.MILLISECONDS);
    }

    private interface Work {
      void run() throws Exception;
    }

    private static void guarded(Work work) {
      try {
        work.run();
      } catch (Exception e) {
        System.out.println("not looked: " + e);
      }
    }

    private void look(MBeanServerConnection asked) throws Exception {
      long now = System.nanoTime();
      for (ObjectName name : asked.queryNames(new ObjectName("dev.warmshelf:*"), null)) {
        List<String> names = new ArrayList<>();
        for (MBeanAttributeInfo info : asked.getMBeanInfo(name).getAttributes()) {
          names.add(info.getName());
        }
        asked.getAttributes(name, names.toArray(new String[0]));
        if (name.getKeyProperty("kind").equals("shelf")) {
          lookInto(asked, name, now);
        }
      }
    }

    private void lookInto(MBeanServerConnection asked, ObjectName shelf, long now)
        throws Exception {
      if (now - nextHeld >= 0) {
        asked.invoke(shelf, "held", new Object[] {200}, new String[] {NUMBER});
        long took = System.nanoTime() - now;
        nextHeld = now + Math.max(TimeUnit.SECONDS.toNanos(3), 20 * took);
      }
      if (now - nextLook >= 0) {
        Object[] most = {"", "", "saved", 50};
        asked.invoke(shelf, "look", most, new String[] {TEXT, TEXT, TEXT, NUMBER});
        asked.invoke(shelf, "entry", new Object[] {"0"}, new String[] {TEXT});
        nextLook = now + TimeUnit.SECONDS.toNanos(10);
      }
    }

    @Override
    public void close() throws Exception {
      threads.shutdown();
      threads.awaitTermination(1, TimeUnit.MINUTES);
      connector.close();
      server.stop();
    }
  }
}
