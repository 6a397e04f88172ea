package dev.warmshelf.cli.demo;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.spi.feed.FeedException;
import java.io.BufferedReader;
import java.io.IOException;
import java.nio.file.Path;
import java.sql.SQLException;
import java.time.Duration;
import java.util.List;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A process of its own that asks the demo's board once, and says where its answer is from: one that
 * shares with others, or one that begins with what an earlier one has kept.
 */
final class DemoProcess {
  private static final String USER = "postgres";

  /** The demo's machine may be busy; in production nobody waits so long. */
  private static final Duration PATIENCE = Duration.ofSeconds(2);

  private DemoProcess() {}

  /**
   * What it has said.
   *
   * @param origin of its first answer
   * @param nanos what that took
   */
  record Said(long pid, String origin, long nanos) {}

  /**
   * Starts it, and waits for its end.
   *
   * @param url of the demo's database
   * @param file that it begins with, and leaves to the next
   * @param shares whether it shares with others
   */
  static Said run(String url, Path file, boolean shares) throws IOException, InterruptedException {
    Process process =
        OwnJava.running(DemoProcess.class, url, file.toString(), Boolean.toString(shares)).start();
    try (BufferedReader said = process.inputReader()) {
      String line = said.readLine();
      if (process.waitFor() != 0 || line == null) {
        throw new IOException("The demo's other process has failed.");
      }
      String[] parts = line.split(" ", 2);
      return new Said(process.pid(), parts[0], Long.parseLong(parts[1]));
    } finally {
      process.destroyForcibly();
    }
  }

  /** Shelves as each of the demo's processes has them. */
  static WarmShelf open(DataSource reads, String url, Path file, boolean shares)
      throws SQLException, FeedException {
    WarmShelf.Builder builder =
        WarmShelf.over(reads)
            .following(JournalFeed.on(url, USER, null))
            .warmStart(WarmStart.from(file));
    return shares
        ? builder
            .sharing(Sharing.through(PostgresStore.on(url, USER, null).answeringWithin(PATIENCE)))
            .open()
        : builder.open();
  }

  /** The departures of the demo's day. */
  static Reading<List<DemoStory.Departure>> ask(WarmShelf warm, int port) throws SQLException {
    ShelvedQuery<DemoStory.Departure> departures =
        warm.query(Questions.DEPARTURES).as(DemoStory.Departure.class);
    return departures.with("port", port).with("day", Scale.FIRST_DAY).list();
  }

  public static void main(String[] arguments) throws Exception {
    PGSimpleDataSource source = new PGSimpleDataSource();
    source.setURL(arguments[0]);
    source.setUser(USER);
    boolean shares = Boolean.parseBoolean(arguments[2]);
    try (WarmShelf warm = open(source, arguments[0], Path.of(arguments[1]), shares)) {
      ask(warm, DemoStory.PORT + 1); // classes are loaded by then
      long began = System.nanoTime();
      Reading<?> reading = ask(warm, DemoStory.PORT);
      System.out.println(reading.origin() + " " + (System.nanoTime() - began));
    }
  }
}
