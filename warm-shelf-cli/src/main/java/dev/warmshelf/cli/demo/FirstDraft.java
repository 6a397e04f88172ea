package dev.warmshelf.cli.demo;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.record.ShelfRecording;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.shelf.Renewal;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;

/**
 * A program as somebody has drafted it: it keeps its answers for a moment only, and is recorded.
 * Two of its keys are wrong. The sailing's has the session's token in it, so that nobody is given
 * what another has loaded; that of the fares lacks the season, which a setting of the connection
 * says, so that a question in winter may be given what one in summer has loaded.
 */
final class FirstDraft {
  private static final String SAILING =
      "SELECT id, leaves_at, status FROM sailing WHERE id = :id AND :token::text IS NOT NULL";

  private static final String FARES = "SELECT vehicle_kind, cents FROM season_fares()";

  private static final String FUNCTION =
      """
      CREATE OR REPLACE FUNCTION season_fares() RETURNS SETOF fare_band LANGUAGE sql STABLE
      AS 'SELECT * FROM fare_band WHERE season = current_setting(''skerry.season'')
          ORDER BY vehicle_kind'
      """;

  private static final String BOOKING =
      """
      INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at)
      VALUES (?, 1, 4.5, 2, 5550, 'HELD', '2026-05-01Z')
      """;

  private static final Duration KEPT = Duration.ofMillis(100);
  private static final Duration READ_EVERY = Duration.ofMillis(5);
  private static final Duration BOOK_EVERY = Duration.ofMillis(400);
  private static final List<String> SEASONS = List.of("summer", "winter", "spring");
  private static final int READERS = 2;
  private static final int SAILINGS = 12;
  private static final int TOKENS = 200;
  private static final int BOARDS = 6;

  private final DataSource pool;
  private final long endNanos;

  private FirstDraft(DataSource pool, Duration time) {
    this.pool = pool;
    this.endNanos = System.nanoTime() + time.toNanos();
  }

  /** Runs it for so long, and records what it asks. */
  static void run(DataSource pool, Duration time, Path recorded) throws Exception {
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(FUNCTION);
    }
    try (WarmShelf warm =
            WarmShelf.over(pool)
                .following(JournalFeed.on(pool))
                .shelf(WarmShelf.MAIN_SHELF, policy -> policy.ttl(KEPT).renewing(Renewal.loading()))
                .open();
        ShelfRecording recording = ShelfRecording.to(recorded).keepingEarlier(0).open()) {
      warm.recordTo(recording);
      new FirstDraft(pool, time).run(warm);
      warm.recordTo(null);
    }
  }

  private void run(WarmShelf warm) throws Exception {
    ExecutorService threads = Executors.newFixedThreadPool(READERS + 1);
    try {
      List<Callable<Void>> all =
          List.of(() -> read(warm, 1), () -> read(warm, 2), () -> book(new SplittableRandom(3)));
      for (Future<Void> each : threads.invokeAll(all)) {
        each.get();
      }
    } finally {
      threads.shutdownNow();
    }
  }

  private Void read(WarmShelf warm, long seed) throws SQLException {
    SplittableRandom random = new SplittableRandom(seed);
    ShelvedQuery<?> boards = warm.query(Questions.DEPARTURES).asMaps();
    ShelvedQuery<?> sailings = warm.query(SAILING).asMaps();
    ShelvedQuery<?> fares = warm.query(FARES).reading("fare_band").asMaps();
    while (System.nanoTime() < endNanos) {
      int kind = random.nextInt(10);
      if (kind < 2) {
        boards.with("port", 1 + random.nextInt(BOARDS)).with("day", Scale.FIRST_DAY).list();
      } else if (kind < 7) {
        sailings
            .with("id", 1 + random.nextInt(SAILINGS))
            .with("token", "session-" + random.nextInt(TOKENS))
            .list();
      } else {
        try (Connection connection = pool.getConnection();
            PreparedStatement season =
                connection.prepareStatement("SELECT set_config('skerry.season', ?, false)")) {
          season.setString(1, SEASONS.get(random.nextInt(SEASONS.size())));
          season.execute();
          fares.question().on(connection).list();
        }
      }
      LockSupport.parkNanos(READ_EVERY.toNanos());
    }
    return null;
  }

  private Void book(SplittableRandom random) throws SQLException {
    while (System.nanoTime() < endNanos) {
      try (Connection connection = pool.getConnection();
          PreparedStatement booking = connection.prepareStatement(BOOKING)) {
        booking.setInt(1, 1 + random.nextInt(SAILINGS));
        booking.execute();
      }
      LockSupport.parkNanos(BOOK_EVERY.toNanos());
    }
    return null;
  }
}
