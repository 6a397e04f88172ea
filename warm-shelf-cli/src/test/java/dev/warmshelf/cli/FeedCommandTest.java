package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.List;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import picocli.CommandLine;

/** {@code shelf feed}, with a database of its own that takes user and password from the URL. */
class FeedCommandTest {
  private static LocalPostgres server;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(server.dataSource("postgres"));
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  @Test
  void installsChecksUpgradesAndRemoves(@TempDir Path directory) throws Exception {
    assertThat(run("check").out()).contains("not installed", "shelf feed install");
    assertThat(run("check").exitCode()).isEqualTo(1);
    assertThat(run("follow").err()).contains("not installed");

    Path list = directory.resolve("followed.txt");
    Files.write(list, List.of("sailing:day", "booking:sailing_id,agent_id"));
    Ran printed = run("install", "--print", "port");
    assertThat(printed.out()).contains("CREATE SCHEMA", "ON \"public\".\"port\"");
    assertThat(run("check").exitCode()).as("printing changes nothing").isEqualTo(1);

    Ran installed = run("install", "--keep", "2h", "port", "@" + list);
    assertThat(installed.exitCode()).isZero();
    assertThat(installed.out())
        .containsPattern("public.booking +tracked columns sailing_id, agent_id")
        .containsPattern("public.port +as a whole")
        .contains("kept for 2h", "All is well.");

    execute("ALTER TABLE sailing DISABLE TRIGGER warm_shelf_delete");
    Ran wrong = run("check");
    assertThat(wrong.exitCode()).isEqualTo(1);
    assertThat(wrong.out()).contains("WRONG:   public.sailing", "shelf feed upgrade");
    JsonNode json = new ObjectMapper().readTree(run("check", "--json").out());
    assertThat(json.get("problems")).hasSize(1);
    assertThat(json.get("tables").get("public.booking").get(0).asText()).isEqualTo("sailing_id");
    assertThat(run("upgrade").out()).contains("All is well.").contains("kept for 2h");

    assertThat(run("remove").exitCode()).isZero();
    assertThat(run("check").exitCode()).isEqualTo(1);
    assertThat(run("remove").exitCode()).as("repeatable").isZero();
  }

  @Test
  void aRoleThatIsToFollowGetsItsRightsAndIsCheckedForThem() throws Exception {
    execute("CREATE ROLE \"The App\" " + LocalPostgres.login());
    assertThat(run("install", "port").exitCode()).isZero();
    Ran lacking = run("check", "--reader", "The App");
    assertThat(lacking.exitCode()).isEqualTo(1);
    assertThat(lacking.out())
        .contains("role The App may not follow", "GRANT USAGE ON SCHEMA warm_shelf TO \"The App\";")
        .doesNotContain("All is well");
    assertThat(run("install", "--print", "--reader", "The App", "port").out())
        .contains("GRANT SELECT ON warm_shelf.journal, warm_shelf.installation TO \"The App\";");
    assertThat(run("install", "--reader", "The App", "port").exitCode()).isZero();
    assertThat(run("check", "--reader", "The App").out()).contains("All is well.");
    assertThat(run("check", "--reader", "nobody").err()).contains("no role 'nobody'");
    try (WarmShelf warm =
        WarmShelf.over(server.dataSource("postgres"))
            .following(JournalFeed.on(url(), "The App", null))
            .open()) {
      assertThat(warm.feedMeters()).isPresent();
    }
  }

  @Test
  void whatCannotBeInstalledIsNamed() {
    assertThat(run("install", "booking:metres").err()).contains("metres", "sailing_id");
    assertThat(run("install", "booking:").err()).contains("without a name");
    assertThat(run("install", ":x").err()).contains("names no table");
    assertThat(run("install", "port:id,id").err()).contains("twice");
    assertThat(run("install", "harbour").err()).contains("no table 'harbour'");
    assertThat(run("install").exitCode()).isEqualTo(2);
  }

  @Test
  void proposesWhatTheQueriesAskFor(@TempDir Path directory) throws Exception {
    Path queries = directory.resolve("queries.sql");
    Files.writeString(
        queries,
        """
        SELECT s.id, sum(b.metres) FROM sailing s LEFT JOIN booking b ON b.sailing_id = s.id
        WHERE s.day = :day GROUP BY s.id;
        SELECT count(*) FROM booking b WHERE b.sailing_id = :s;
        SELECT count(*) FROM booking b WHERE b.agent_id = :a;
        SELECT * FROM port;
        SELECT random() FROM vessel;
        """);
    assertThat(run("propose", queries.toString()).out().lines())
        .containsExactly("public.booking:sailing_id,agent_id", "public.port", "public.sailing:day");
    Files.writeString(
        queries,
        """
        SELECT sum(b.metres) FROM sailing s JOIN booking b ON b.sailing_id = s.id
        WHERE s.route_id = :route;
        """);
    assertThat(run("propose", queries.toString()).out().lines())
        .as("the column by which a roster tells what reaches it")
        .containsExactly("public.booking:sailing_id", "public.sailing:route_id");
    assertThat(run("propose", directory.resolve("none.sql").toString()).err())
        .contains("There is no file");
  }

  @Test
  void followsChangesAsTheyArrive() throws Exception {
    assertThat(run("install", "notice:port_id").exitCode()).isZero();
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    CommandLine line = Main.commandLine();
    line.setOut(new PrintWriter(out));
    line.setErr(new PrintWriter(err));
    CompletableFuture<Integer> following =
        CompletableFuture.supplyAsync(
            () -> line.execute("feed", "follow", "--db", url(), "--json", "--changes", "2"));
    long deadline = System.nanoTime() + TimeUnit.SECONDS.toNanos(20);
    while (!err.toString().contains("Following")) {
      assertThat(System.nanoTime()).isLessThan(deadline);
      LockSupport.parkNanos(100_000);
    }
    execute("UPDATE notice SET version = 2 WHERE id = 1; TRUNCATE notice");
    assertThat(following.get(20, TimeUnit.SECONDS)).isZero();
    ObjectMapper mapper = new ObjectMapper();
    List<String> lines = out.toString().lines().toList();
    JsonNode update = mapper.readTree(lines.get(0));
    JsonNode truncate = mapper.readTree(lines.get(1));
    if (update.get("kind").asText().equals("TRUNCATE")) { // one transaction: in no order
      JsonNode swap = update;
      update = truncate;
      truncate = swap;
    }
    assertThat(update.get("lane").asText()).isEqualTo("public.notice");
    assertThat(update.get("groups").get(0).asText()).startsWith("port_id=");
    assertThat(update.get("lagNanos").asLong()).isPositive();
    assertThat(truncate.get("groups").isNull()).isTrue();
  }

  private static Ran run(String first, String... others) {
    String[] arguments = new String[others.length + 4];
    arguments[0] = "feed";
    arguments[1] = first;
    arguments[2] = "--db";
    arguments[3] = url();
    System.arraycopy(others, 0, arguments, 4, others.length);
    return Ran.of(arguments);
  }

  private static String url() {
    return server.url("postgres");
  }

  private static void execute(String sql) throws SQLException {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(sql);
    }
  }
}
