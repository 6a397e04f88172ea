package dev.warmshelf.bench;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Capacity;
import java.io.IOException;
import java.sql.SQLException;
import java.util.List;
import java.util.Locale;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;

/**
 * A small heap, and a program that is hard on it: ever new texts, some of them long, with values
 * glued in; ever new keys; now and then a large answer: {@code java -cp ...
 * dev.warmshelf.bench.Soak [MINUTES]}, three unless said otherwise. It asks in a process of its own
 * with {@code -Xmx64m}, and ends with that one's exit code: not 0 if the memory did not suffice.
 */
public final class Soak {
  private static final int LARGE_ROWS = 2_000;

  private Soak() {}

  public static void main(String[] arguments) throws Exception {
    if (arguments.length > 1) {
      ask(arguments[1], Double.parseDouble(arguments[0]));
      return;
    }
    String minutes = arguments.length > 0 ? arguments[0] : "3";
    try (LocalPostgres server = LocalPostgres.start()) {
      SkerryLine.loadTiny(server.dataSource("postgres"));
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
      System.exit(asker(server.port(), minutes).waitFor());
    }
  }

  private static Process asker(int port, String minutes) throws IOException {
    List<String> options = List.of("-Xmx64m", "-XX:+ExitOnOutOfMemoryError");
    return OwnJava.running(options, Soak.class, minutes, Integer.toString(port))
        .inheritIO()
        .start();
  }

  private static void ask(String port, double minutes) throws Exception {
    org.postgresql.ds.PGSimpleDataSource source = new org.postgresql.ds.PGSimpleDataSource();
    source.setUrl("jdbc:postgresql://localhost:" + port + "/postgres");
    source.setUser("postgres");
    com.zaxxer.hikari.HikariConfig config = new com.zaxxer.hikari.HikariConfig();
    config.setDataSource(source);
    config.setMaximumPoolSize(4);
    try (com.zaxxer.hikari.HikariDataSource pool = new com.zaxxer.hikari.HikariDataSource(config);
        WarmShelf warm =
            WarmShelf.over(pool)
                .following(JournalFeed.on(pool))
                .shelf("large", policy -> policy.holding(Capacity.entries(4)))
                .open()) {
      long end = System.nanoTime() + (long) (minutes * TimeUnit.MINUTES.toNanos(1));
      SplittableRandom random = new SplittableRandom(1);
      long asked = 0;
      long nextReport = 0;
      while (System.nanoTime() < end) {
        askSomething(warm, random, asked++);
        if (System.nanoTime() > nextReport) {
          nextReport = System.nanoTime() + TimeUnit.SECONDS.toNanos(20);
          report(warm, asked);
        }
      }
      report(warm, asked);
    }
  }

  private static void askSomething(WarmShelf warm, SplittableRandom random, long n)
      throws SQLException {
    switch ((int) (n % 10)) {
      case 0 -> // a text of its own, 20 kB long
          warm.query(
                  "SELECT code FROM port WHERE id IN ("
                      + String.join(
                          ", ", java.util.Collections.nCopies(2_500, "" + random.nextInt()))
                      + ")")
              .as(String.class)
              .list();
      case 1, 2, 3 -> // a text of its own, short
          warm.query("SELECT code FROM port WHERE id = " + random.nextInt())
              .as(String.class)
              .list();
      case 4 -> large(warm).with("from", random.nextInt(50)).list();
      case 5 -> warm.write("UPDATE port SET status = 'OPEN' WHERE id = :id").with("id", 3).run();
      default -> // a key of its own
          warm.query("SELECT code FROM port WHERE id = :id")
              .as(String.class)
              .with("id", random.nextInt())
              .list();
    }
  }

  private static ShelvedQuery<String> large(WarmShelf warm) {
    return warm.query("SELECT text FROM notice WHERE id > :from ORDER BY id LIMIT " + LARGE_ROWS)
        .on("large")
        .as(String.class);
  }

  private static void report(WarmShelf warm, long asked) {
    Runtime runtime = Runtime.getRuntime();
    long entries = warm.shelves().stream().mapToLong(shelf -> shelf.size()).sum();
    System.out.printf(
        Locale.ROOT,
        "%,d questions; heap %d of %d MiB; %,d entries; feed %s; shelves %s%n",
        asked,
        (runtime.totalMemory() - runtime.freeMemory()) >> 20,
        runtime.maxMemory() >> 20,
        entries,
        warm.feedMeters().orElseThrow().state(),
        List.copyOf(warm.shelves()).stream().map(shelf -> shelf.name()).sorted().toList());
  }
}
