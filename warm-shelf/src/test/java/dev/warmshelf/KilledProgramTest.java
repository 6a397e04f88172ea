package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.WarmStart;
import java.io.BufferedReader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A program that writes its answers to a file all the time, and rows to the database, and is killed
 * at any moment. What the next one serves of the file must be what the database says. {@code
 * -Dwarm.kills=100} kills it a hundred times.
 */
@Tag("thorough")
class KilledProgramTest {
  private static final int KILLS = Integer.getInteger("warm.kills", 1);
  private static final int LONGEST_MILLIS = 600;
  private static final int ITEMS = 200;
  private static final String GROUP = "SELECT id, n FROM item WHERE part = :part ORDER BY id";
  private static final String TOTAL = "SELECT sum(n) AS n FROM item WHERE id % 7 = :rest";

  /** A row. */
  record Item(int id, int n) {}

  private static List<String> questions() {
    List<String> all = new ArrayList<>();
    for (int i = 0; i < 20; i++) {
      all.add(GROUP.replace(":part", Integer.toString(i)));
      all.add(TOTAL.replace(":rest", Integer.toString(i % 7)));
    }
    return all;
  }

  private static WarmShelf open(PGSimpleDataSource source, Path file, Duration every)
      throws Exception {
    return WarmShelf.over(source)
        .following(JournalFeed.on(source).polling(Duration.ofMillis(2)))
        .warmStart(WarmStart.from(file).writtenEvery(every))
        .open();
  }

  private static Reading<?> ask(WarmShelf warm, String sql) throws SQLException {
    return warm.query(sql).asMaps().list();
  }

  /** The program: a database's URL, the file, and a seed; or "end" for one that just ends. */
  public static void main(String[] arguments) throws Exception {
    PGSimpleDataSource source = new PGSimpleDataSource();
    source.setURL(arguments[0]);
    source.setUser("postgres");
    List<String> questions = questions();
    Path file = Path.of(arguments[1]);
    if (arguments[2].equals("end")) {
      WarmShelf forgotten = open(source, file, Duration.ofHours(1));
      for (String question : questions) {
        ask(forgotten, question);
      }
      return;
    }
    Random random = new Random(Long.parseLong(arguments[2]));
    WarmShelf warm = open(source, file, Duration.ofMillis(3));
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      System.out.println("ready");
      while (true) {
        for (int i = 0; i < 10; i++) {
          ask(warm, questions.get(random.nextInt(questions.size())));
        }
        int id = random.nextInt(ITEMS);
        statement.execute(
            random.nextInt(5) == 0
                ? "UPDATE item SET part = " + random.nextInt(20) + " WHERE id = " + id
                : "UPDATE item SET n = n + 1 WHERE id = " + id);
      }
    }
  }

  private static TestDatabase database() throws Exception {
    TestDatabase database = TestDatabase.create();
    database.run(
        "CREATE TABLE item AS SELECT i AS id, i % 20 AS part, 0 AS n FROM generate_series(0, "
            + (ITEMS - 1)
            + ") i");
    database.run("ALTER TABLE item ADD PRIMARY KEY (id)");
    dev.warmshelf.journal.Journal.on(database.dataSource()).install(List.of("item:id,part"));
    return database;
  }

  @Test
  @Timeout(value = 1, unit = TimeUnit.MINUTES)
  void aProgramThatEndsWithoutClosingHasWritten(@TempDir Path directory) throws Exception {
    TestDatabase database = database();
    Path file = directory.resolve("answers");
    assertThat(start(database, file, "end").waitFor()).isZero();
    try (WarmShelf warm = open(database.postgres(), directory.resolve("copy"), file)) {
      for (String question : questions()) {
        assertThat(ask(warm, question).origin()).isEqualTo(Origin.KEPT);
      }
    }
  }

  @Test
  @Timeout(value = 30, unit = TimeUnit.MINUTES)
  void whatOutlivesAKillIsTrue(@TempDir Path directory) throws Exception {
    TestDatabase database = database();
    Path file = directory.resolve("answers");
    Random random = new Random(11);
    long kept = 0;
    for (int kill = 0; kill < KILLS; kill++) {
      runAndKill(database, file, random);
      assertThat(file).exists();
      try (WarmShelf warm = open(database.postgres(), directory.resolve("copy" + kill), file)) {
        for (String question : questions()) {
          Reading<?> reading = ask(warm, question);
          assertThat(reading.value().toString())
              .as("%s by %s after kill %d", question, reading.origin(), kill)
              .isEqualTo(direct(database, question));
          kept += reading.origin() == Origin.KEPT ? 1 : 0;
        }
        assertThat(warm.shelf("main").meters().snapshot().get(Count.RESTORED)).isPositive();
      }
    }
    System.out.println("kills " + KILLS + ", answers served of files " + kept);
    assertThat(kept).isGreaterThan(5L * KILLS);
  }

  /** With a copy of the file: what this one writes is not what the killed one finds. */
  private static WarmShelf open(PGSimpleDataSource source, Path copy, Path file) throws Exception {
    Files.copy(file, copy);
    return open(source, copy, Duration.ofHours(1));
  }

  private static Process start(TestDatabase database, Path file, String how) throws Exception {
    return OwnJava.running(
            KilledProgramTest.class, database.postgres().getUrl(), file.toString(), how)
        .start();
  }

  private static void runAndKill(TestDatabase database, Path file, Random random) throws Exception {
    Process program = start(database, file, Long.toString(random.nextLong()));
    try (BufferedReader said = program.inputReader()) {
      assertThat(said.readLine()).isEqualTo("ready");
      long modified = Files.exists(file) ? Files.getLastModifiedTime(file).toMillis() : 0;
      Waiting.until(
          "a file of its own",
          () -> Files.exists(file) && Files.getLastModifiedTime(file).toMillis() > modified);
      // At any moment of its work: it is alive, so this ends by the time being over.
      assertThat(program.waitFor(random.nextInt(LONGEST_MILLIS), TimeUnit.MILLISECONDS)).isFalse();
    } finally {
      program.destroyForcibly().waitFor();
    }
  }

  private static String direct(TestDatabase database, String sql) throws SQLException {
    List<String> rows = new ArrayList<>();
    try (Connection connection = database.dataSource().getConnection();
        ResultSet result = connection.createStatement().executeQuery(sql)) {
      var meta = result.getMetaData();
      while (result.next()) {
        List<String> row = new ArrayList<>();
        for (int i = 1; i <= meta.getColumnCount(); i++) {
          row.add(meta.getColumnLabel(i) + "=" + result.getObject(i));
        }
        rows.add("{" + String.join(", ", row) + "}");
      }
    }
    return rows.toString();
  }
}
