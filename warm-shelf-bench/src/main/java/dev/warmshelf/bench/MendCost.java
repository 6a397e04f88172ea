package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Question;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.locks.LockSupport;
import org.jspecify.annotations.Nullable;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * The demo's departures board after one booking, mended, beside its load: {@code java -cp ...
 * dev.warmshelf.bench.MendCost [ROUNDS]}, 300 unless said otherwise. Nothing else runs meanwhile.
 */
public final class MendCost {
  private static final int PORT = 1;
  private static final int WARM_UP = 100;

  private MendCost() {}

  public static void main(String[] arguments) throws Exception {
    int rounds = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 300;
    try (LocalPostgres server = LocalPostgres.start()) {
      PGSimpleDataSource source = server.dataSource("postgres");
      try (Connection connection = source.getConnection()) {
        SkerryLine.load(connection, Scale.DEFAULT, (table, done, all) -> {});
      }
      Journal.on(source).install(SkerryLine.FOLLOWED);
      HikariConfig config = new HikariConfig();
      config.setDataSource(source);
      config.setMaximumPoolSize(3);
      try (HikariDataSource pool = new HikariDataSource(config);
          WarmShelf warm = WarmShelf.over(pool).following(JournalFeed.on(pool)).open();
          Connection connection = source.getConnection();
          Statement writer = connection.createStatement()) {
        measure(warm, writer, rounds);
      }
    }
  }

  private static void measure(WarmShelf warm, Statement writer, int rounds) throws Exception {
    Question<Map<String, @Nullable Object>> board =
        warm.query(Questions.DEPARTURES)
            .asMaps()
            .question()
            .with("port", PORT)
            .with("day", Scale.FIRST_DAY);
    Timings mended = new Timings();
    Timings loaded = new Timings();
    int rows = 0;
    for (int round = 0; round < WARM_UP + rounds; round++) {
      board.clear();
      long load = took(board, Origin.LOADED);
      Reading<List<Map<String, @Nullable Object>>> kept = board.list();
      rows = kept.value().size();
      book(warm, writer, kept.value().get(round % rows).get("id"));
      long mend = took(board, Origin.MENDED);
      if (round >= WARM_UP) {
        loaded.record(load);
        mended.record(mend);
      }
    }
    System.out.printf(
        Locale.ROOT,
        "a board of %d rows: loaded in %.1f ms, mended in %.1f ms at the median (p99 %.1f and %.1f):"
            + " 1/%.0f%n",
        rows,
        loaded.nanosAt(50) / 1e6,
        mended.nanosAt(50) / 1e6,
        loaded.nanosAt(99) / 1e6,
        mended.nanosAt(99) / 1e6,
        (double) loaded.nanosAt(50) / mended.nanosAt(50));
  }

  private static long took(Question<?> board, Origin expected) throws SQLException {
    long began = System.nanoTime();
    Reading<?> reading = board.list();
    long took = System.nanoTime() - began;
    if (reading.origin() != expected) {
      throw new IllegalStateException("Expected " + expected + ", but it is " + reading);
    }
    return took;
  }

  /** Another program books, and the feed tells of it. */
  private static void book(WarmShelf warm, Statement writer, @Nullable Object sailing)
      throws SQLException {
    writer.execute(
        "INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at, revision)"
            + " VALUES ("
            + sailing
            + ", 1, 4.5, 2, 5550, 'HELD', '2026-05-01Z', nextval('booking_revision'))");
    Instant now = Instant.now();
    while (!warm.freshAsOf().orElse(Instant.MIN).isAfter(now)) {
      LockSupport.parkNanos(100_000);
    }
  }
}
