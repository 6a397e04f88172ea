package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.config.Configuration;
import dev.warmshelf.config.ConfiguredDataSource;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.scenario.CountingSource;
import dev.warmshelf.scenario.LocalPostgres;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;

/** A database and a pool for a program, with shelves above the pool or without. */
final class Ground implements AutoCloseable {
  private static final AtomicInteger COUNT = new AtomicInteger();
  private static final LocalPostgres SERVER = start();

  private final DataSource database;
  private final HikariDataSource pool;
  private final CountingSource counted;
  private ConfiguredDataSource shelves;

  private Ground(String schema) throws SQLException {
    String name = "program_" + COUNT.incrementAndGet();
    run(SERVER.dataSource("postgres"), "CREATE DATABASE " + name);
    this.database = SERVER.dataSource(name);
    run(database, schema);
    HikariConfig config = new HikariConfig();
    config.setDataSource(database);
    config.setMaximumPoolSize(3);
    this.pool = new HikariDataSource(config);
    this.counted = new CountingSource(pool);
  }

  private static LocalPostgres start() {
    try {
      return LocalPostgres.start();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  static void run(DataSource source, String sql) throws SQLException {
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }

  /** A database with these tables. */
  static Ground with(String schema) throws SQLException {
    return new Ground(schema);
  }

  /** What a program is given that has no shelves. */
  DataSource plain() {
    return counted.dataSource();
  }

  /** What a program is given whose reads of these tables are kept. */
  DataSource shelved(String... tables) throws Exception {
    Journal.on(database).install(List.of(tables));
    String text = "rules: [{tables-among: [" + String.join(", ", tables) + "]}]";
    shelves =
        Configuration.of(text, "a file", Map.<String, String>of()::get).wrap(counted.dataSource());
    return shelves;
  }

  /** The shelves under the program. */
  WarmShelf warmShelf() {
    return shelves.warmShelf().orElseThrow();
  }

  /** A piece of a program. */
  interface Part {
    void run() throws Exception;
  }

  /**
   * Waits until a piece of a program has been run so many times without the database being asked:
   * before that its statements are found out about, some of them in the background.
   */
  void requireKept(Part reading) throws Exception {
    long deadline = System.nanoTime() + 30_000_000_000L;
    int inARow = 0;
    while (inARow < 20) {
      assertThat(System.nanoTime()).as("until it is kept").isLessThan(deadline);
      int before = counted.taken();
      reading.run();
      inARow = counted.taken() == before ? inARow + 1 : 0;
    }
  }

  @Override
  public void close() {
    if (shelves != null) {
      shelves.close();
    }
    pool.close();
  }
}
