package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.base.SystemTime;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.jmx.Desk;
import dev.warmshelf.jmx.JmxBeans;
import dev.warmshelf.jmx.OpenValues;
import dev.warmshelf.jmx.Program;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Ground;
import dev.warmshelf.time.Watermark;
import java.io.BufferedReader;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CountDownLatch;

/** A program of its own with one shelf, which was asked one question four times. */
final class OtherProgram {
  private OtherProgram() {}

  /** Starts it; it says "ready". */
  static Process start() throws Exception {
    return OwnJava.running(OtherProgram.class).start();
  }

  /** What is done with it. */
  @FunctionalInterface
  interface Looking {
    void at(String pid) throws Exception;
  }

  /** Starts it, and ends it when that is done. */
  static void whileItRuns(Looking looking) throws Exception {
    Process other = start();
    try (BufferedReader said = other.inputReader()) {
      assertThat(said.readLine()).isEqualTo("ready");
      looking.at(Long.toString(other.pid()));
    } finally {
      other.destroyForcibly();
    }
  }

  public static void main(String[] arguments) throws Exception {
    SystemTime time = SystemTime.start();
    Board board = new Board();
    board.advance(Watermark.now(time));
    Policy policy = Policy.standard().tolerating(Duration.ofHours(1));
    AnswerShelf shelf = new AnswerShelf("main", policy, board, time, Ground.Trust.FEED);
    Footprint ports = Footprint.of(Lane.ofTable("public", "port"));
    for (int i = 0; i < 4; i++) {
      shelf.<String, RuntimeException>read(Key.named("test", "key"), ports, () -> "x");
    }
    Program program =
        new Program("the orders", List.of(shelf), null, board, time, new StandIn(shelf));
    try (JmxBeans views = new JmxBeans(program)) {
      System.out.println("ready");
      new CountDownLatch(1).await();
    }
  }

  /** What separates fields and lines elsewhere, and is a text like others here. */
  static final String ODD = "a\tby\nhand\u001b[2J \u202e\"'";

  private static final Map<String, Object> STATEMENT =
      Map.of(
          "name",
          ODD,
          "form",
          "0123456789abcdef",
          "hits",
          5L,
          "misses",
          2L,
          "direct",
          0L,
          "standing",
          ODD,
          "statement",
          "select '" + ODD);

  private static final Map<String, Object> NEEDLESS =
      Map.ofEntries(
          Map.entry("shelf", "main"),
          Map.entry("table", "public." + ODD),
          Map.entry("recentReloads", 50L),
          Map.entry("recentNeedless", 40L),
          Map.entry("recentNanos", 2_000_000_000L),
          Map.entry("reloads", 500L),
          Map.entry("needless", 400L),
          Map.entry("nanos", 20_000_000_000L),
          Map.entry("much", true),
          Map.entry("columns", new String[] {ODD}),
          Map.entry("advice", "Do this: " + ODD));

  /** Clears whatever is to be cleared. */
  private record StandIn(AnswerShelf shelf) implements Desk {
    @Override
    public Map<String, Object> attributes() {
      return Map.of(
          "Statements",
          OpenValues.rows("statement", List.of(STATEMENT)),
          "Needless",
          OpenValues.rows("needless", List.of(NEEDLESS)),
          "Health",
          "LOST",
          "IsWell",
          false,
          "Version",
          "0.0.1",
          "Driver",
          "42.0.1",
          "Why",
          "the line is cut",
          "LagMillis",
          7_000L,
          "LostSince",
          "2026-05-01T10:00:00Z",
          "Gives",
          OpenValues.rows(
              "gives",
              List.of(
                  Map.of("shelf", "main", "gives", shelf.gives()),
                  Map.of("shelf", ODD, "gives", ODD))));
    }

    @Override
    public long clear(String what, String name) {
      long before = shelf.fresh();
      shelf.clear();
      return before;
    }

    @Override
    public void clearEverywhere(String what, String name) {
      throw new IllegalStateException("Without a feed no other process can be told.");
    }
  }
}
