package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Arrays;
import javax.sql.DataSource;

/**
 * What it costs to have the database read statements: a new form's verdict, a query object that is
 * made anew for each call beside one that is kept, and what texts with ever-new constants do to the
 * catalogue.
 *
 * <p>{@code java -cp ... dev.warmshelf.bench.VerdictCost [TEXTS]}, 100,000 texts unless said
 * otherwise.
 */
public final class VerdictCost {
  private static final int FORMS = 400;
  private static final int WARM_UP = 200;
  private static final int CALLS = 200_000;

  private VerdictCost() {}

  public static void main(String[] arguments) throws Exception {
    int texts = arguments.length > 0 ? Integer.parseInt(arguments[0]) : 100_000;
    try (LocalPostgres server = LocalPostgres.start()) {
      DataSource database = server.dataSource("postgres");
      SkerryLine.loadTiny(database);
      Journal.on(database).install(SkerryLine.FOLLOWED);
      HikariConfig config = new HikariConfig();
      config.setDataSource(database);
      config.setMaximumPoolSize(4);
      try (HikariDataSource pool = new HikariDataSource(config);
          WarmShelf warm =
              WarmShelf.over(pool)
                  .following(JournalFeed.on(server.dataSource("postgres")))
                  .open()) {
        newForms(warm);
        madeAnew(warm);
        newConstants(warm, database, texts);
      }
    }
  }

  private static void newForms(WarmShelf warm) throws SQLException {
    long[] took = new long[FORMS - WARM_UP];
    for (int i = 0; i < FORMS; i++) {
      ShelvedQuery<Long> query =
          warm.query(
                  "SELECT count(*) FROM booking b JOIN sailing s ON s.id = b.sailing_id"
                      + " JOIN route r ON r.id = s.route_id WHERE s.day = :day AND b.seats > "
                      + i
                      + " + 1")
              .as(Long.class);
      long began = System.nanoTime();
      query.verdict();
      if (i >= WARM_UP) {
        took[i - WARM_UP] = System.nanoTime() - began;
      }
    }
    Arrays.sort(took);
    System.out.printf(
        "a new form's verdict (three tables): median %.1f ms, 9 of 10 within %.1f ms%n",
        took[took.length / 2] / 1e6, took[took.length * 9 / 10] / 1e6);
  }

  private static void madeAnew(WarmShelf warm) throws SQLException {
    String sql = "SELECT id, name FROM port WHERE id = :id";
    ShelvedQuery<?> kept = warm.query(sql).asMaps();
    for (int round = 0; round < 3; round++) {
      long began = System.nanoTime();
      for (int i = 0; i < CALLS; i++) {
        kept.with("id", 7).list();
      }
      long once = System.nanoTime();
      for (int i = 0; i < CALLS; i++) {
        warm.query(sql).asMaps().with("id", 7).list();
      }
      long anew = System.nanoTime();
      if (round == 2) {
        System.out.printf(
            "a hit: %.2f us by a query that is kept, %.2f us by one that is made anew%n",
            (once - began) / 1e3 / CALLS, (anew - once) / 1e3 / CALLS);
      }
    }
  }

  private static void newConstants(WarmShelf warm, DataSource database, int texts)
      throws SQLException {
    String before = catalogue(database);
    long began = System.nanoTime();
    for (int i = 0; i < texts; i++) {
      warm.query("SELECT id, name FROM port WHERE id = " + i + " AND name <> 'p" + i + "'")
          .asMaps()
          .list();
    }
    System.out.printf(
        "%,d texts with ever-new constants: %.0f us each; catalogue before %s, after %s%n",
        texts, (System.nanoTime() - began) / 1e3 / texts, before, catalogue(database));
  }

  private static String catalogue(DataSource database) throws SQLException {
    try (Connection connection = database.getConnection();
        Statement statement = connection.createStatement();
        ResultSet row =
            statement.executeQuery(
                "SELECT string_agg(relname || ' ' || pg_relation_size(oid) / 1024 || ' kB', ', '"
                    + " ORDER BY relname) FROM pg_class WHERE relname IN ('pg_proc', 'pg_depend')")) {
      row.next();
      return row.getString(1);
    }
  }
}
