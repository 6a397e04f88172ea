package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.scenario.TroubledLine;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shared.StoreSchema;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.trial.Zipf;
import java.io.BufferedReader;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * Processes that share a store, {@code java -cp ... dev.warmshelf.bench.SharedProcesses WHAT}:
 *
 * <ul>
 *   <li>{@code loads [PROCESSES]}: as many processes ask one stream of questions; how many loads
 *       that costs the database, beside one process alone.
 *   <li>{@code trouble}: what a store that falls silent costs a read.
 *   <li>{@code faults [SECONDS]}: four processes; each ten seconds one is killed, the store's line
 *       is cut, slowed and silenced, others write. Each answer is compared with what was committed
 *       when it was read.
 * </ul>
 */
public final class SharedProcesses {
  private static final int PARTS = 1_000;
  private static final int ROWS = 10;
  private static final int QUESTIONS = 4_000;
  private static final int PROCESSES = 4;
  private static final long PAUSE_NANOS = TimeUnit.MICROSECONDS.toNanos(200);
  private static final long SLACK_NANOS = TimeUnit.MILLISECONDS.toNanos(5);

  /** Takes the server some milliseconds. */
  private static final String SUM =
      "SELECT sum(i.n)::bigint AS n, (SELECT count(*) FROM filler f WHERE f.a > :part) AS more"
          + " FROM item i WHERE i.part = :part";

  private SharedProcesses() {}

  /** An answer. */
  public record Sum(long n, long more) {}

  public static void main(String[] arguments) throws Exception {
    switch (arguments.length == 0 ? "" : arguments[0]) {
      case "loads" -> loads(arguments.length > 1 ? Integer.parseInt(arguments[1]) : PROCESSES);
      case "trouble" -> trouble();
      case "faults" -> faults(arguments.length > 1 ? Integer.parseInt(arguments[1]) : 600);
      case "child" -> child(arguments);
      default -> throw new IllegalArgumentException("Expected loads, trouble or faults.");
    }
  }

  private static HikariDataSource pool(PGSimpleDataSource source, int size) {
    HikariConfig config = new HikariConfig();
    config.setDataSource(source);
    config.setMaximumPoolSize(size);
    return new HikariDataSource(config);
  }

  private static void make(HikariDataSource pool) throws Exception {
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          "CREATE TABLE item AS SELECT i / %d AS part, i AS id, 0 AS n FROM generate_series(0, %d) i"
              .formatted(ROWS, PARTS * ROWS - 1));
      statement.execute("ALTER TABLE item ADD PRIMARY KEY (part, id)");
      statement.execute(
          "CREATE TABLE filler AS SELECT i % 100 AS a FROM generate_series(1, 30000) i");
      statement.execute("ANALYZE");
      Journal.on(pool).install(List.of("item:part", "filler"));
      StoreSchema.create(pool, 1 << 30, List.of());
    }
  }

  private static WarmShelf open(HikariDataSource pool, PGSimpleDataSource store) throws Exception {
    return WarmShelf.over(pool)
        .following(JournalFeed.on(pool))
        .sharing(Sharing.through(PostgresStore.on(store)))
        .open();
  }

  private static ShelvedQuery<Sum> sums(WarmShelf warm) {
    return warm.query(SUM).as(Sum.class);
  }

  private static PGSimpleDataSource at(String url) {
    PGSimpleDataSource source = new PGSimpleDataSource();
    source.setURL(url);
    source.setUser("postgres");
    return source;
  }

  private static Process start(String... arguments) throws IOException {
    List<String> line = new ArrayList<>(List.of("child"));
    line.addAll(List.of(arguments));
    return OwnJava.running(List.of("-Xmx256m"), SharedProcesses.class, line.toArray(new String[0]))
        .start();
  }

  private static void loads(int processes) throws Exception {
    long one = loadsOf(1);
    long all = loadsOf(processes);
    System.out.printf(
        Locale.ROOT,
        "loads: %d of one process, %d of %d processes that each ask the same: ratio %.3f%n",
        one,
        all,
        processes,
        (double) all / one);
  }

  private static long loadsOf(int processes) throws Exception {
    try (LocalPostgres server = LocalPostgres.start();
        HikariDataSource pool = pool(server.dataSource("postgres"), 4)) {
      make(pool);
      String url = server.dataSource("postgres").getURL();
      List<Process> all = new ArrayList<>();
      for (int i = 0; i < processes; i++) {
        all.add(start("stream", url, url));
      }
      for (Process each : all) { // all begin together
        if (!"ready".equals(each.inputReader().readLine())) {
          throw new IllegalStateException("a process has not begun");
        }
      }
      for (Process each : all) {
        each.outputWriter().write("go\n");
        each.outputWriter().flush();
      }
      long loads = 0;
      for (Process each : all) {
        String told = each.inputReader().readLine();
        System.out.println(told);
        loads += Long.parseLong(told.split(" ", 2)[0]);
        each.waitFor();
      }
      return loads;
    }
  }

  private static void child(String[] arguments) throws Exception {
    try (HikariDataSource pool = pool(at(arguments[2]), 6);
        WarmShelf warm = open(pool, at(arguments[3]))) {
      System.out.println("ready");
      if (arguments[1].equals("stream")) {
        System.in.read();
        stream(warm);
      } else {
        judge(warm, Path.of(arguments[4]), Long.parseLong(arguments[5]));
      }
    }
  }

  /** Each process asks the same questions in the same order, as fast as it can. */
  private static void stream(WarmShelf warm) throws Exception {
    ShelvedQuery<Sum> sums = sums(warm);
    Zipf zipf = new Zipf(PARTS, 0.9);
    Random random = new Random(7);
    for (int i = 0; i < QUESTIONS; i++) {
      sums.with("part", zipf.draw(random)).list();
    }
    Meters.Snapshot counts = warm.shelf("main").meters().snapshot();
    System.out.println(
        counts.databaseReads()
            + " loads, "
            + counts.get(Count.SHARED)
            + " given by others, "
            + counts.get(Count.HITS)
            + " hits; "
            + warm.shared().orElseThrow().inWords());
  }

  /** Reads until it is killed, and judges each answer. */
  private static void judge(WarmShelf warm, Path file, long seed) throws Exception {
    MappedLedger ledger = MappedLedger.of(file, PARTS);
    ShelvedQuery<Sum> sums = sums(warm);
    Zipf zipf = new Zipf(PARTS, 0.9);
    Random random = new Random(seed);
    Map<Origin, Long> origins = new TreeMap<>();
    long never = 0;
    long late = 0;
    long latestNanos = 0;
    long told = System.nanoTime();
    while (true) {
      LockSupport.parkNanos(PAUSE_NANOS); // or else feeds would wait for the processor
      int part = zipf.draw(random);
      long began = System.nanoTime();
      Reading<List<Sum>> reading = sums.with("part", part).list();
      origins.merge(reading.origin(), 1L, Long::sum);
      long missed = ledger.missedSince(part, reading.value().get(0).n());
      if (missed >= 0 && missed < began) {
        late++;
        latestNanos = Math.max(latestNanos, began - missed);
        long freshAsOf =
            System.nanoTime() - Duration.between(reading.freshAsOf(), Instant.now()).toNanos();
        if (freshAsOf - missed > SLACK_NANOS) {
          never++;
          System.out.println("NEVER part " + part + " " + reading + " missed " + (began - missed));
        }
      }
      long now = System.nanoTime();
      if (now - told > TimeUnit.SECONDS.toNanos(1)) {
        told = now;
        System.out.println(
            "told " + never + " " + late + " " + latestNanos / 1_000 + " " + origins);
        origins.clear();
        never = 0;
        late = 0;
        latestNanos = 0;
      }
    }
  }

  private static void trouble() throws Exception {
    try (LocalPostgres server = LocalPostgres.start();
        TroubledLine line = TroubledLine.to(server.dataSource("postgres").getPortNumbers()[0]);
        HikariDataSource pool = pool(server.dataSource("postgres"), 6)) {
      make(pool);
      PGSimpleDataSource store = server.dataSource("postgres");
      store.setPortNumbers(new int[] {line.port()});
      try (WarmShelf warm = open(pool, store)) {
        System.out.printf(Locale.ROOT, "store there:  %s%n", times(warm, 0, 300));
        line.fallSilent();
        System.out.printf(Locale.ROOT, "it is silent: %s%n", times(warm, 300, 320));
        System.out.printf(Locale.ROOT, "after that:   %s%n", times(warm, 320, 700));
        System.out.println(warm.shared().orElseThrow().inWords());
      }
    }
  }

  private static String times(WarmShelf warm, int from, int to) throws Exception {
    ShelvedQuery<Sum> sums = sums(warm);
    long worst = 0;
    long extra = 0;
    for (int part = from; part < to; part++) {
      long began = System.nanoTime();
      Reading<List<Sum>> reading = sums.with("part", part).list();
      long took = System.nanoTime() - began;
      worst = Math.max(worst, took);
      extra = Math.max(extra, took - reading.loadNanos());
    }
    return String.format(
        Locale.ROOT,
        "%d reads, worst %.2f ms, of which %.2f ms beside the load at most",
        to - from,
        worst / 1e6,
        extra / 1e6);
  }

  /** What the children have told. */
  private static final class Told {
    private final Map<String, Long> origins = new ConcurrentHashMap<>();
    private long never;
    private long late;
    private long latestMicros;

    synchronized void add(String line) {
      if (!line.startsWith("told ")) {
        System.out.println(line);
        return;
      }
      String[] parts = line.split(" ", 5);
      never += Long.parseLong(parts[1]);
      late += Long.parseLong(parts[2]);
      latestMicros = Math.max(latestMicros, Long.parseLong(parts[3]));
      for (String each : parts[4].replaceAll("[{} ]", "").split(",", -1)) {
        if (!each.isEmpty()) {
          String[] both = each.split("=", 2);
          origins.merge(both[0], Long.parseLong(both[1]), Long::sum);
        }
      }
    }
  }

  private static void faults(int seconds) throws Exception {
    Path file = Files.createTempFile("ledger", "");
    MappedLedger ledger = MappedLedger.of(file, PARTS);
    Told told = new Told();
    Random random = new Random(3);
    try (LocalPostgres server = LocalPostgres.start();
        TroubledLine line = TroubledLine.to(server.dataSource("postgres").getPortNumbers()[0]);
        HikariDataSource pool = pool(server.dataSource("postgres"), 4)) {
      make(pool);
      PGSimpleDataSource store = server.dataSource("postgres");
      String url = store.getURL();
      store.setPortNumbers(new int[] {line.port()});
      List<Process> children = new ArrayList<>();
      for (int i = 0; i < PROCESSES; i++) {
        children.add(reader(url, store.getURL(), file, i, told));
      }
      Thread writer = new Thread(() -> write(pool, ledger), "writer");
      writer.setDaemon(true);
      writer.start();
      for (int second = 1; second <= seconds; second++) {
        TimeUnit.SECONDS.sleep(1);
        if (second % 10 == 0) {
          int victim = random.nextInt(PROCESSES);
          children.get(victim).destroyForcibly().waitFor();
          children.set(victim, reader(url, store.getURL(), file, second, told));
        }
        trouble(line, second, random);
      }
      children.forEach(Process::destroyForcibly);
      System.out.printf(
          Locale.ROOT,
          "%d s, %s; late %d, by %.1f ms at most; never %d%n",
          seconds,
          new TreeMap<>(told.origins),
          told.late,
          told.latestMicros / 1e3,
          told.never);
    }
  }

  /** Cut, silent or slow for some seconds, and whole for some. */
  private static void trouble(TroubledLine line, int second, Random random) {
    switch (second % 14) {
      case 3 -> line.cut();
      case 4, 9, 13 -> line.mend();
      case 6 -> line.fallSilent();
      case 11 -> line.delay(random.nextInt(60));
      default -> {}
    }
  }

  private static Process reader(String url, String store, Path file, long seed, Told told)
      throws IOException {
    Process child = start("judge", url, store, file.toString(), Long.toString(seed));
    Thread listening =
        new Thread(
            () -> {
              try (BufferedReader said = child.inputReader()) {
                for (String line = said.readLine(); line != null; line = said.readLine()) {
                  if (!line.equals("ready")) {
                    told.add(line);
                  }
                }
              } catch (IOException e) {
                System.err.println("a child has ended while it told something");
              }
            },
            "listener");
    listening.setDaemon(true);
    listening.start();
    return child;
  }

  /** About 20 commits a second, half of them on what is asked most. */
  private static void write(HikariDataSource pool, MappedLedger ledger) {
    long[] versions = new long[PARTS];
    Zipf zipf = new Zipf(PARTS, 0.9);
    Random random = new Random(5);
    try (Connection connection = pool.getConnection();
        PreparedStatement update =
            connection.prepareStatement("UPDATE item SET n = n + 1 WHERE part = ? AND id = ?")) {
      while (true) {
        int part = random.nextBoolean() ? zipf.draw(random) : random.nextInt(PARTS);
        update.setInt(1, part);
        update.setInt(2, part * ROWS);
        update.executeUpdate();
        ledger.committed(part, ++versions[part], System.nanoTime());
        TimeUnit.MILLISECONDS.sleep(50);
      }
    } catch (SQLException | InterruptedException e) {
      System.err.println("the writer has ended, as it does at the end: " + e.getMessage());
    }
  }
}
