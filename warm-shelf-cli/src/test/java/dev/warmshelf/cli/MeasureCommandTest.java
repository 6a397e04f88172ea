package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumingThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.cli.command.DatabaseOptions;
import dev.warmshelf.cli.command.KeyExplanation;
import dev.warmshelf.cli.command.MeasureCommand;
import dev.warmshelf.cli.command.StatementDatabase;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Traffic;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.report.ComparisonFields;
import dev.warmshelf.measure.report.ComparisonReport;
import dev.warmshelf.measure.report.ReportPage;
import dev.warmshelf.measure.run.Comparison;
import dev.warmshelf.measure.workload.RecordedRequests;
import dev.warmshelf.record.ShelfRecording;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shared.StoreSchema;
import java.awt.Font;
import java.awt.image.BufferedImage;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.Statement;
import java.time.Duration;
import java.util.Arrays;
import java.util.EnumSet;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.zip.GZIPOutputStream;
import javax.imageio.ImageIO;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.postgresql.ds.PGSimpleDataSource;

class MeasureCommandTest {
  private static final Set<WayKind> SOME =
      EnumSet.of(WayKind.TTL, WayKind.ANSWERS, WayKind.MENDED, WayKind.OLD);

  private static LocalPostgres server;

  @TempDir private static Path directory;

  @BeforeAll
  static void start() throws Exception {
    server = LocalPostgres.start();
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("CREATE EXTENSION pg_stat_statements");
      SkerryLine.load(connection, Scale.TINY, (table, done, all) -> {});
    }
    Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
  }

  @AfterAll
  static void stop() throws Exception {
    server.close();
  }

  @Test
  void directReadsAreNeverStaleAndKeptOnesOnlyLate() throws Exception {
    Result result = measure(settings(EnumSet.complementOf(EnumSet.of(WayKind.SHARED)), 5, 0, 50));
    assertThat(result.faults()).isEmpty();
    assertThat(result.commits()).isNotEmpty();
    for (Figures following : result.ways().subList(2, result.ways().size())) {
      assertThat(following.kept().lags().getTotalCount())
          .as(following.way().label())
          .isBetween((long) result.commits().size() - 10, (long) result.commits().size() + 10);
    }
    assertThat(result.ttlAlone().orElseThrow().kept().lags().getTotalCount()).isZero();
    Figures direct = result.ways().get(0);
    assertThat(direct.staleness().stale()).isZero();
    assertThat(direct.database().work().orElseThrow().calls()).isEqualTo(direct.reads().count());
    assertThat(direct.database().work().orElseThrow().rows()).isGreaterThan(direct.reads().count());
    assertThat(direct.database().work().orElseThrow().buffersFound()).isPositive();
    for (Figures kept : result.ways().subList(1, result.ways().size())) {
      assertThat(kept.staleness().never()).isZero();
      assertThat(kept.database().work().orElseThrow().calls())
          .isEqualTo(kept.database().ownCount());
      assertThat(kept.savedNanos()).as("worked out, be it less than nothing").isNotZero();
      if (kept.way() != WayKind.TABLES) { // of which nothing stays at so many writes
        assertThat(kept.bytesHeld()).as(kept.way().label()).isPositive();
        assertThat(kept.hitRatio().orElseThrow()).isPositive();
        assertThat(kept.database().ownCount()).isLessThan(kept.reads().count());
      }
    }
    assertThat(new ComparisonReport(result).lines("").get(0))
        .contains(
            "direct",
            "TTL only",
            "table lanes",
            "value lanes",
            "answer lanes",
            "second look",
            "mended",
            "old on purpose");
    assertThat(result.verdict("notices").words())
        .contains("an index on notice (port_id) would make the direct read cheaper");
    assertThat(result.facts().entrySet())
        .filteredOn(each -> each.getValue().index().isPresent())
        .extracting(Map.Entry::getKey)
        .containsExactly("notices");
    assertThat(result.notes()).hasSize(1);
    assertThat(result.notes().get(0)).contains("whose rows carry versions");
    assumingThat(hasFonts(), () -> pageAndPlotsStandAlone(result));
    everyWayAndQueryHasALineOfCsv(result);
  }

  private static boolean hasFonts() {
    try {
      return new Font(Font.SANS_SERIF, Font.PLAIN, 12).canDisplay('x');
    } catch (LinkageError | InternalError e) {
      return false;
    }
  }

  private static void pageAndPlotsStandAlone(Result result) throws Exception {
    Path page = directory.resolve("page.html");
    new ReportPage(result).writePage(page);
    String html = Files.readString(page);
    assertThat(html).contains("Measured: Skerry Line", "request stream");
    assertThat(result.finest().queries().keySet())
        .allSatisfy(query -> assertThat(html).contains(result.verdict(query).words()));
    assertThat(html.split("<figure>", -1)).hasSize(6);
    assertThat(html).doesNotContain("{{", "rgb(", "<script", "href=\"http", "src=", "@import");
    Matcher ids = Pattern.compile("\\bid=\"([^\"]*)\"").matcher(html);
    Set<String> seen = new HashSet<>();
    while (ids.find()) {
      assertThat(seen.add(ids.group(1))).as(ids.group(1) + " once").isTrue();
    }
    List<Path> plots = new ReportPage(result).writePlots(directory.resolve("plots"));
    assertThat(plots).hasSize(5);
    for (Path plot : plots) {
      BufferedImage image = ImageIO.read(plot.toFile());
      Set<Integer> colours = new HashSet<>();
      for (int x = 0; x < image.getWidth(); x += 2) {
        for (int y = 0; y < image.getHeight(); y += 2) {
          colours.add(image.getRGB(x, y));
        }
      }
      assertThat(colours).as("colours of " + plot).hasSizeGreaterThan(10);
    }
  }

  private static void everyWayAndQueryHasALineOfCsv(Result result) {
    List<String> lines = new ComparisonFields(result).csv().lines().toList();
    int queries = result.ways().stream().mapToInt(way -> way.queries().size()).sum();
    assertThat(lines).hasSize(1 + result.ways().size() + queries);
    assertThat(lines.get(0)).startsWith("way,query,reads,hits,hit_ratio");
    assertThat(lines.get(1)).startsWith("direct,," + result.direct().reads().count() + ",0,0.0,");
  }

  @Tag("thorough")
  @Test
  void anOpenLoopAsksAtItsRateAndTwoRunsAskTheSame() throws Exception {
    Result one = measure(settings(3, 100, 5));
    assertThat(one.faults()).isEmpty();
    for (Figures way : one.ways()) {
      // 100 a second for rounds of a second each, at random: sigma is 10 for one, 14 for two.
      long due = 100L * way.rounds().size();
      assertThat(way.reads().count() + way.reads().notAsked())
          .as(way.way().label())
          .isBetween(due - 70, due + 70);
    }
    Result two = measure(settings(1, 100, 0));
    assertThat(two.conditions().digest()).isEqualTo(one.conditions().digest());
    assertThat(two.commits()).isEmpty();
    assertThat(measure(settings(1, 0, 0)).conditions().digest())
        .isNotEqualTo(one.conditions().digest());
  }

  @Tag("thorough")
  @Test
  void aRecordingOfOneRunIsReplayedInAnother() throws Exception {
    Path file = directory.resolve("questions.jsonl.gz");
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource("postgres"));
    try (HikariDataSource pool = DatabaseOptions.pool(config, 12)) {
      Comparison recorded =
          Comparison.of(
              pool, MeasureCommand.demoWorkload(), settings(3, 60, 0), (what, share) -> {});
      Result first;
      try (ShelfRecording recording = ShelfRecording.to(file).open()) {
        recorded.recordTo(recording);
        first = recorded.run();
        assertThat(recording.lost()).isZero();
      }
      RecordedRequests questions = RecordedRequests.of(file, MeasureCommand.demoWorkload(), 3, 0);
      assertThat(questions.size().orElse(0)).isEqualTo(first.finest().reads().count());
      Comparison replayed =
          Comparison.asking(
              questions,
              pool,
              MeasureCommand.demoWorkload(),
              new RunSettings(
                  SOME,
                  Duration.ZERO,
                  Duration.ofSeconds(30),
                  new Traffic(3, 0, 0),
                  Duration.ofSeconds(1),
                  7),
              (what, share) -> {});
      Result second = replayed.run();
      assertThat(second.faults()).isEmpty();
      for (Figures way : second.ways()) {
        assertThat(way.reads().count())
            .as(way.way().label())
            .isEqualTo(first.finest().reads().count());
      }
      first
          .finest()
          .queries()
          .forEach(
              (label, query) ->
                  assertThat(second.finest().queries().get(label).reads())
                      .as(label)
                      .isEqualTo(query.reads()));
    }
  }

  @Tag("thorough")
  @Test
  void aWorkloadOfOnesOwnIsMeasuredRecordedAndReplayed() throws Exception {
    Path workload = directory.resolve("own.yaml");
    Files.writeString(
        workload,
        """
        workload: notices alone
        writes-per-second: 5
        queries:
          notices:
            sql: SELECT id, version FROM notice WHERE port_id = :port ORDER BY id
            inputs:
              port: {from: 1, to: 40, zipf: 1}
            versions:
              - {of: notice, id: id, version: version}
          moment:
            sql: SELECT id, now() AS n FROM port
        changes:
          edit:
            sql: UPDATE notice SET version = version + 1 WHERE id = :id RETURNING id, version
            inputs:
              id: {from: 1, to: 3000}
            versions:
              - {of: notice, id: id, version: version}
        """);
    String file = directory.resolve("own.jsonl.gz").toString();
    String db = server.url("postgres");
    Ran measured =
        Ran.of(
            "measure",
            "--db",
            db,
            "--workload",
            workload.toString(),
            "--seconds",
            "3",
            "--record",
            file,
            "--json");
    assertThat(measured.exitCode()).as(measured.err()).isZero();
    assertThat(measured.err()).contains("recorded: " + file);
    JsonNode json = new ObjectMapper().readTree(measured.out());
    assertThat(json.at("/workload").asText()).isEqualTo("notices alone");
    assertThat(json.at("/queries/moment/notKept").asText()).contains("now");
    assertThat(json.at("/queries/notices/index").asText()).isEqualTo("notice (port_id)");
    assertThat(json.at("/ways/4/shelf/hits").asLong()).isPositive();
    assertThat(json.at("/ways/4/shelf/bypassed").asLong()).isPositive();
    Ran replayed =
        Ran.of(
            "measure",
            "--db",
            db,
            "--seconds",
            "3",
            "--replay",
            file,
            "--ways",
            "answers",
            "--report",
            directory.resolve("two.html").toString(),
            "--csv");
    assertThat(replayed.exitCode()).as(replayed.err()).isZero();
    assertThat(replayed.err()).contains("replaying " + file);
    assertThat(replayed.out())
        .contains("direct,statement 1,", "answer lanes,statement 2,")
        .doesNotContain("TTL only", "table lanes", "value lanes");
    assertThat(replayed.out().lines().filter(line -> line.startsWith("answer lanes,,")))
        .as("no versions, so no staleness, late or never")
        .allMatch(line -> line.endsWith(",0,,"));
  }

  /** As a persistence library asks: two columns of one name, and what only its program knows. */
  @Tag("thorough")
  @Test
  void whatCannotBeAskedAgainIsLeftOutAndStopsNothing() throws Exception {
    String head =
        """
        {"recording":"warm-shelf","version":1,"began":"2026-05-01T00:00:00Z","parameters":true}
        {"statement":1,"shelf":"main","digest":"a","sql":"SELECT p.id, n.id, p.name FROM port p JOIN notice n ON n.port_id = p.id WHERE p.id = ?","parameters":["1"]}
        {"statement":2,"shelf":"main","digest":"b","sql":"SELECT id FROM gone WHERE id = ?","parameters":["1"]}
        {"statement":3,"shelf":"main","digest":"c","sql":null,"parameters":[]}
        {"statement":4,"shelf":"main","digest":"d","sql":"SELECT name, 7 / (id - ?) AS q FROM port WHERE id = 5","parameters":["1"]}
        """;
    StringBuilder asked = new StringBuilder(head);
    for (int i = 0; i < 40; i++) {
      int at = i * 1_000;
      asked.append(
          "[%d,1,\"a%d\",\"l\",9,9,1,\"f%d\",[%d]]\n".formatted(at, i % 4, i % 4, i % 4 + 1));
      asked.append("[%d,2,\"b\",\"l\",9,9,1,\"9a\",[1]]\n".formatted(at + 1));
      asked.append("[%d,3,\"c\",\"l\",9,-1,-1,null]\n".formatted(at + 2));
      asked.append("[%d,4,\"d%d\",\"l\",9,9,1,\"9b\",[%d]]\n".formatted(at + 3, i % 5, i % 5 + 1));
    }
    Path file = directory.resolve("jpa.jsonl.gz");
    try (GZIPOutputStream out = new GZIPOutputStream(Files.newOutputStream(file))) {
      out.write(asked.toString().getBytes(StandardCharsets.UTF_8));
    }
    String db = server.url("postgres");
    Ran ran =
        Ran.of(
            "measure",
            "--db",
            db,
            "--replay",
            file.toString(),
            "--ways",
            "mended",
            "--seconds",
            "5",
            "--json");
    assertThat(ran.exitCode()).as(ran.err()).isZero();
    assertThat(ran.err())
        .contains("80 questions")
        .contains("left out: 40 questions that are no queries")
        .contains("left out: 40 questions of statement 2")
        .contains("relation \"gone\" does not exist");
    JsonNode json = new ObjectMapper().readTree(ran.out());
    assertThat(json.at("/leftOut")).hasSize(2);
    for (String way : List.of("/ways/0", "/ways/1")) {
      assertThat(json.at(way + "/refused").asLong()).as(way).isEqualTo(8);
      assertThat(json.at(way + "/reads").asLong()).as(way).isEqualTo(72);
    }
    assertThat(json.at("/faults")).isEmpty();
    assertThat(json.at("/notes").toString()).contains("refused 8 questions of 'direct'");
    assertThat(json.at("/ways/1/shelf/hits").asLong()).isGreaterThan(40);

    Ran study = Ran.of("study", file.toString());
    assertThat(study.exitCode()).as(study.err()).isZero();
    assertThat(study.out()).contains("SELECT p.id, n.id");
    Ran alone = Ran.of("measure", "--db", server.url("template1"), "--replay", file.toString());
    assertThat(alone.exitCode()).isNotZero();
    assertThat(alone.err()).contains("Nothing of the recording").contains("does not exist");
  }

  @Tag("thorough")
  @Test
  void processesThatShareAreMeasuredAsThreadsAre() throws Exception {
    PGSimpleDataSource database = server.dataSource("postgres");
    List<String> arguments =
        List.of(
            ("measure --ways mended,shared --readers 2 --warm-up 1 --seconds 4 --rate 150"
                    + " --writes 20 --json --record "
                    + directory.resolve("shared.jsonl.gz")
                    + " --db "
                    + server.url("postgres"))
                .split(" ", -1));
    Ran without = Ran.of(arguments.toArray(new String[0]));
    assertThat(without.err()).contains("'shelf store create' makes one");
    Files.delete(directory.resolve("shared.jsonl.gz"));
    StoreSchema.create(database, 1 << 26, List.of());
    Ran ran = Ran.of(arguments.toArray(new String[0]));
    assertThat(ran.exitCode()).as(ran.err()).isZero();
    JsonNode shared = new ObjectMapper().readTree(ran.out()).at("/ways/2");
    assertThat(shared.at("/way").asText()).isEqualTo("shared");
    assertThat(shared.at("/reads").asLong()).isPositive();
    assertThat(shared.at("/readsWithVersions").asLong()).isPositive();
    assertThat(shared.at("/staleNever").asLong(-1)).isZero();
    assertThat(shared.at("/hitRatio").asDouble()).isPositive();
    assertThat(shared.at("/memoryBytes").asLong()).isPositive();
    assertThat(shared.at("/shelf/shared").asLong()).as("given by the other").isPositive();
    assertThat(shared.at("/databaseReads").asLong())
        .isPositive()
        .isEqualTo(shared.at("/countedByDatabase/calls").asLong());
    assertThat(StoreSchema.contents(database).answers()).as("left in the store").isZero();
    StoreSchema.remove(database);
  }

  @Test
  void whatCannotBeDoneIsSaidBeforeAnythingIsMeasured() throws Exception {
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("CREATE DATABASE empty");
    }
    String empty = server.url("empty");
    String nowhere = directory.resolve("no/where").toString();
    assertSays("shelf demo --keep", "--db", empty);
    assertSays("No database is named");
    assertSays("there is no directory", "--db", empty, "--report", nowhere);
    assertSays("there is no directory", "--db", empty, "--record", nowhere);
    assertSays("no such file or directory", "--db", empty, "--replay", nowhere);
    assertSays("There is no file", "--db", empty, "--workload", nowhere);
    assertSays("is a directory", "--db", empty, "--workload", directory.toString());
    assertSays("add --replay FILE", "--db", empty, "--speed", "2");
    assertSays("give one of them", "--db", empty, "--replay", nowhere, "--rate", "2");
    assertSays("--rate must be from 0 to 10,000,000, but is -2", "--db", empty, "--rate", "-2");
    assertSays("but is 1.0E308", "--db", empty, "--rate", "1e308");
    assertSays("but is Infinity", "--db", empty, "--writes", "Infinity");
    assertSays("but is 100,000", "--db", empty, "--readers", "100000");
    assertSays("'1.5' is not a whole number", "--db", empty, "--seconds", "1.5");
    assertSays("a way beside direct", "--db", empty, "--ways", "direct,shared");
    assertSays("--ways", "--db", empty, "--ways", "none");
    assertSays("one of --json and --csv", "--db", empty, "--json", "--csv");
    Path wrong = directory.resolve("wrong.yaml");
    Files.writeString(
        wrong,
        """
        workload: w
        queries:
          q:
            sql: SELECT :n
            inputs:
              n: {from: 5, to: {sql: SELECT 3}}
        """);
    assertSays(
        "wrong.yaml, line 6: from 5 to 3 there must be 1 to 10000000 values",
        "--db",
        empty,
        "--workload",
        wrong.toString());
  }

  @Test
  void nothingIsOverwrittenUnasked() throws Exception {
    String db = server.url("postgres");
    Path workload = directory.resolve("mine.yaml");
    Files.writeString(workload, SkerryLine.workload());
    Path there = directory.resolve("there.html");
    Files.writeString(there, "mine");
    Path link = directory.resolve("link.html");
    Files.createSymbolicLink(link, workload);
    String mine = workload.toString();
    String[] onto = {"--db", db, "--workload", mine, "--overwrite", "--report"};
    assertSays("read or written by this run already", with(onto, mine));
    assertSays("read or written by this run already", with(onto, link.toString()));
    assertSays("--overwrite", "--db", db, "--report", there.toString());
    Path recording = directory.resolve("asked.gz");
    Files.writeString(recording, "x");
    String asked = recording.toString();
    assertSays("already", "--db", db, "--replay", asked, "--record", asked, "--overwrite");
    Path plots = Files.createDirectory(directory.resolve("drawn"));
    Files.writeString(plots.resolve("latency.png"), "mine");
    assertSays("latency.png is there already", "--db", db, "--plots", plots.toString());
    assertSays("is no directory", "--db", db, "--plots", there + "/below");
    assertThat(Files.readString(workload)).isEqualTo(SkerryLine.workload());
    assertThat(Files.readString(there)).isEqualTo("mine");
  }

  private static String[] with(String[] options, String last) {
    String[] all = Arrays.copyOf(options, options.length + 1);
    all[options.length] = last;
    return all;
  }

  @Test
  void theDemosWorkloadCanBePrinted() {
    Ran printed = Ran.of("measure", "--print-workload");
    assertThat(printed.exitCode()).isZero();
    assertThat(printed.out()).isEqualTo(SkerryLine.workload());
  }

  private static void assertSays(String message, String... options) {
    String[] all = new String[options.length + 1];
    all[0] = "measure";
    System.arraycopy(options, 0, all, 1, options.length);
    Ran ran = Ran.of(all);
    assertThat(ran.err()).contains(message);
    assertThat(ran.exitCode()).isEqualTo(2);
    assertThat(ran.out()).isEmpty();
  }

  @Tag("thorough")
  @Test
  void aFootprintThatIsWrongShowsAsReadsThatAreNeverInvalidated() throws Exception {
    // A planted fault: the feed takes sailing for covered, but its trigger notes another table.
    try (Connection connection = server.dataSource("postgres").getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(
          """
          DO $$ DECLARE f text; BEGIN
            FOR f IN SELECT DISTINCT tgfoid::regprocedure::text FROM pg_trigger
                     WHERE tgname = 'warm_shelf_update' LOOP
              EXECUTE 'CREATE OR REPLACE FUNCTION ' || f || ' RETURNS trigger LANGUAGE plpgsql
                SECURITY DEFINER AS $f$ BEGIN
                  INSERT INTO warm_shelf.journal (lane, kind) VALUES (''"else"."where"'', TG_OP);
                  RETURN NULL; END $f$';
            END LOOP; END $$""");
    }
    try {
      Result result = measure(settings(5, 0, 200));
      assertThat(result.ways().get(0).staleness().stale()).isZero();
      assertThat(result.ways().get(4).staleness().never()).isPositive();
      assertThat(result.faults()).anySatisfy(f -> assertThat(f).contains("a footprint is wrong"));
    } finally {
      Journal.on(server.dataSource("postgres")).install(SkerryLine.FOLLOWED);
    }
  }

  @Test
  void whatWasMeasuredBeforeTheDatabaseDiedIsReported() throws Exception {
    try (LocalPostgres dying = LocalPostgres.start()) {
      SkerryLine.loadTiny(dying.dataSource("postgres"));
      Journal.on(dying.dataSource("postgres")).install(SkerryLine.FOLLOWED);
      HikariConfig config = new HikariConfig();
      config.setDataSource(dying.dataSource("postgres"));
      config.setMaximumPoolSize(12);
      config.setConnectionTimeout(1_000); // what the readers wait for when it is dead
      AtomicInteger measured = new AtomicInteger();
      try (HikariDataSource pool = new HikariDataSource(config)) {
        Result result =
            Comparison.of(
                    pool,
                    MeasureCommand.demoWorkload(),
                    new RunSettings(
                        EnumSet.of(WayKind.ANSWERS),
                        Duration.ofSeconds(1),
                        Duration.ofSeconds(20),
                        new Traffic(3, 0, 5),
                        Duration.ofSeconds(1),
                        7),
                    (what, share) -> {
                      if (what.equals("direct") && measured.incrementAndGet() == 2) {
                        stop(dying);
                      }
                    })
                .run();
        assertThat(result.isEmpty()).isFalse();
        assertThat(result.endedBy()).isPresent();
        assertThat(result.faults()).hasSize(1);
        assertThat(result.faults().get(0)).startsWith("The run ended early: The database");
        assertThat(new ComparisonReport(result).lines("")).isNotEmpty();
      }
    }
  }

  private static void stop(LocalPostgres dying) {
    try {
      dying.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static Result measure(RunSettings settings) throws Exception {
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource("postgres"));
    try (HikariDataSource pool = DatabaseOptions.pool(config, settings.traffic().readers() + 8)) {
      return Comparison.of(pool, MeasureCommand.demoWorkload(), settings, (what, share) -> {})
          .run();
    }
  }

  private static RunSettings settings(int seconds, double reads, double writes) {
    return settings(SOME, seconds, reads, writes);
  }

  private static RunSettings settings(Set<WayKind> ways, int seconds, double reads, double writes) {
    return new RunSettings(
        ways,
        Duration.ofSeconds(1),
        Duration.ofSeconds(seconds),
        new Traffic(3, reads, writes),
        Duration.ofSeconds(1),
        7);
  }

  @Test
  void keysAreExplainedByTheDatabasesOwnCatalogue() throws Exception {
    try (StatementDatabase database =
        StatementDatabase.at(
            DatabaseOptions.of(
                null,
                Map.of("SHELF_DB_URL", server.url("postgres"), "SHELF_DB_USER", "postgres")))) {
      KeyExplanation explanation =
          KeyExplanation.of(
              "SELECT count(*) FROM open_sailing, booking_2026_05", Map.of(), database);
      assertThat(explanation.lines())
          .anySatisfy(line -> assertThat(line).startsWith("session").contains("postgres"))
          .contains("footprint     public.booking", "              public.sailing");
    }
  }

  @Test
  void settingsThatAreMissingOrWrongAreNamed() throws Exception {
    assertThat(failureOf("jdbc:mysql://x", Map.of())).contains("not a PostgreSQL URL");
    assertThat(failureOf("jdbc:postgresql://localhost/x?user=a&password=b", Map.of()))
        .contains("SHELF_DB_PASSWORD");
    assertThat(failureOf("jdbc:postgresql://localhost/x", Map.of())).contains("SHELF_DB_USER");
    String known = System.getProperty("org.postgresql.pgpassfile");
    System.setProperty("org.postgresql.pgpassfile", "/nowhere");
    try {
      assertThat(failureOf(server.url("postgres"), Map.of("SHELF_DB_USER", "postgres")))
          .contains("SHELF_DB_PASSWORD", "PGPASSFILE");
    } finally {
      System.setProperty("org.postgresql.pgpassfile", known);
    }
  }

  private static String failureOf(String url, Map<String, String> environment) {
    try (HikariDataSource pool = DatabaseOptions.of(url, environment).pool(1)) {
      return "no failure: " + pool;
    } catch (Failure e) {
      return e.getMessage();
    }
  }
}
