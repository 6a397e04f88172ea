package dev.warmshelf.measure.report;

import static org.assertj.core.api.Assertions.assertThat;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import dev.warmshelf.config.Configuration;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseWork.Done;
import dev.warmshelf.measure.survey.Dependence;
import dev.warmshelf.measure.survey.Gain;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.measure.survey.SurveyedStatement;
import dev.warmshelf.measure.survey.SurveyedStatement.Judged;
import dev.warmshelf.measure.survey.SurveyedStatement.Keepable;
import dev.warmshelf.measure.survey.SurveyedStatement.Refused;
import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.shelf.Leaving;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.study.ChangeForecast;
import dev.warmshelf.study.Findings;
import dev.warmshelf.study.KeyAdvice;
import dev.warmshelf.study.LifeForecast;
import dev.warmshelf.study.MemoryForecast;
import dev.warmshelf.study.Repeats;
import dev.warmshelf.study.Share;
import dev.warmshelf.study.StatementText;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Set;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What is advised is a configuration, whatever the statements and their shelves are called. */
class AdvisedFileTest {
  private static final String PORTS = "SELECT id, 'a' FROM port\n-- rules: {}\nWHERE island = :i";
  private static final String PORTS_COUNTED =
      "SELECT id, $2 FROM port\n-- rules: {}\nWHERE island = $1";

  private static final Refused REFUSED = new Refused("no");

  private static final Share HALF = new Share(0.5, 0.01);

  @TempDir private Path directory;

  private static SurveyedStatement surveyed(
      String text, Optional<String> form, Optional<String> index, Judged judged) {
    return new SurveyedStatement(
        text, form, new Done(10, 20, 1_000, 0, 0), 0.2, OptionalDouble.of(9), index, judged);
  }

  private static Keepable keepable(double likely, String... tables) {
    Gain gain = new Gain(likely / 2, likely, 0.99);
    return new Keepable(
        List.of(tables).stream()
            .map(
                table ->
                    new Dependence(
                        Lane.ofTable("public", table), Set.of("id"), "all rows", 0.5, 0.5))
            .toList(),
        gain,
        gain);
  }

  private static Surveyed surveyed(SurveyedStatement... statements) {
    TreeMap<Lane, List<String>> tracked = new TreeMap<>();
    tracked.put(Lane.ofTable("public", "port"), List.of("island"));
    tracked.put(Lane.ofTable("other", "t"), List.of());
    return new Surveyed(
        Instant.EPOCH,
        Duration.ofSeconds(60),
        new Done(50, 100, 5_000, 0, 0),
        Done.NOTHING,
        List.of(statements),
        tracked,
        List.of());
  }

  private static Repeats repeats(String shelf, String digest, String sql, double hits) {
    return new Repeats(
        new StatementText(1, shelf, digest, true, sql),
        1_000,
        50,
        new Share(hits, 0),
        HALF,
        Optional.empty(),
        300);
  }

  private static Findings findings(List<Repeats> repeats, List<KeyAdvice> advice) {
    return new Findings(
        new RecordingFile.Summary(Instant.EPOCH, true, 1_000, 0, true),
        1,
        repeats,
        advice,
        List.of(new ChangeForecast(ChangeForecast.Ends.ANSWER_CHANGED, HALF, HALF)),
        List.of(new LifeForecast(Duration.ofSeconds(1), HALF, HALF, HALF)),
        List.of(
            new MemoryForecast(Leaving.LONGEST_UNUSED, 1 << 20, HALF, new Share(0.2, 0)),
            new MemoryForecast(Leaving.LEAST_TIME_SAVED, 1 << 20, HALF, new Share(0.3, 0)),
            new MemoryForecast(Leaving.LEAST_TIME_SAVED, 8 << 20, HALF, new Share(0.698, 0)),
            new MemoryForecast(Leaving.LONGEST_UNUSED, 64 << 20, HALF, new Share(0.7, 0))));
  }

  private Configuration read(String text) throws Exception {
    Path file = Files.writeString(directory.resolve("advised.yaml"), text);
    return Configuration.read(file);
  }

  @Test
  void aSurveyNamesByFormOrByTables() throws Exception {
    String text =
        AdvisedFile.of(
            surveyed(
                surveyed(PORTS_COUNTED, Optional.empty(), Optional.empty(), keepable(0.8, "port")),
                surveyed(
                    "SELECT 1", Optional.of("0a3f9a1c5e"), Optional.empty(), keepable(0.9, "a b")),
                surveyed(
                    "SELECT 2",
                    Optional.of("0b3f9a1c5e"),
                    Optional.of("t (a)"),
                    keepable(0.9, "t")),
                surveyed(
                    "SELECT 3", Optional.of("0c3f9a1c5e"), Optional.empty(), keepable(0.1, "t")),
                surveyed("SELECT 4", Optional.of("0d3f9a1c5e"), Optional.empty(), REFUSED)),
            null,
            "a test");
    assertThat(read(text).rules().stream().map(Rule::toString))
        .containsExactly("tables among [port]: kept on main", "form 0a3f9a1c5e: kept on main");
    assertThat(text)
        .contains("#   shelf feed install other.t port:island")
        .contains("an index may serve it better: t (a)")
        .contains("hits 5.0 % at worst, 10.0 % likely, 99.0 % at best")
        .doesNotContain("SELECT 4", "SELECT 5");
  }

  /** What the tool writes, it takes. */
  @Test
  void anyNameAndAnyTextIsTakenAgain() throws Exception {
    String odd = " it's \"1\": {x} # - \\ \t\u0001\u0085\u2028\u202e\ufeff\ud83d\ude00 ";
    String text =
        AdvisedFile.of(
            surveyed(
                surveyed(
                    "SELECT '" + odd + "\r\n",
                    Optional.empty(),
                    Optional.empty(),
                    keepable(0.9, odd)),
                surveyed("SELECT 2", Optional.empty(), Optional.empty(), keepable(0.9, "null")),
                surveyed("SELECT 3", Optional.empty(), Optional.of(odd), keepable(0.9, "t"))),
            null,
            "a test of " + odd + "\nrules: x");
    assertThat(read(text).rules().stream().map(Rule::toString))
        .containsExactlyInAnyOrder(
            "tables among [\"" + odd.replace("\"", "\"\"") + "\"]: kept on main",
            "tables among [null]: kept on main");
  }

  @Test
  void whatCannotBeKeptMayStillWantAnIndex() throws Exception {
    Surveyed surveyed =
        surveyed(surveyed("SELECT 5", Optional.empty(), Optional.of("t (b)"), REFUSED));
    assertThat(String.join("\n", new SurveyReport(surveyed, 5).lines()))
        .contains("Reads that cannot be kept as they are:", "SELECT 5", "no.")
        .contains("An index may serve it better: t (b).");
    Path file = directory.resolve("survey.html");
    new SurveyPage(surveyed, 5).writePage(file);
    assertThat(Files.readString(file)).contains("SELECT 5", "Cannot be kept as they are");
  }

  @Test
  void aRecordingKnowsBetterWhatRepeats() throws Exception {
    Surveyed surveyed =
        surveyed(
            surveyed(PORTS_COUNTED, Optional.empty(), Optional.empty(), keepable(0.8, "port")),
            surveyed("SELECT 1", Optional.of("0a3f9a1c5e"), Optional.empty(), keepable(0.9, "t")));
    Findings findings =
        findings(
            List.of(
                repeats("it's: a shelf", "1a3f9a1c5e", PORTS, 0.6),
                repeats("main", "0a3f9a1c5e", "SELECT 1", 0)),
            List.of());
    String text = AdvisedFile.of(surveyed, findings, "a test");
    Configuration read = read(text);
    assertThat(read.rules().stream().map(Rule::toString))
        .containsExactly("form 1a3f9a1c5e: kept on it's: a shelf");
    assertThat(read.shelves()).containsKeys("it's: a shelf", "main");
    assertThat(text)
        .contains("room: 8 MiB", "If what leaves first is least-time-saved: 69.8 %.")
        .contains("so it has no rule")
        .contains("the most that any room looked at would save is 70.0 %");
  }

  @Test
  void whatIsWrongWithKeysIsInIt() throws Exception {
    StatementText splits = new StatementText(1, "boards", "1a3f9a1c5e", true, "SELECT 1");
    StatementText mixes = new StatementText(2, "boards", "1b3f9a1c5e", true, "SELECT 2");
    String text =
        AdvisedFile.of(
            null,
            findings(
                List.of(repeats("boards", "1a3f9a1c5e", "SELECT 1", 0.01)),
                List.of(
                    new KeyAdvice.Splits(splits, "a 'token'", 900, 0, HALF, new Share(0.97, 0)),
                    new KeyAdvice.Mixes(mixes, 900, 300, 200, 7, List.of()))),
            "a test");
    assertThat(read(text).rules().stream().map(Rule::toString))
        .containsExactly("form 1b3f9a1c5e: not kept");
    assertThat(text)
        .contains(
            "the next who asked had another 'a 'token''", "folding(\"a 'token'\", any -> one)")
        .contains("so it has no rule", "room: 8 MiB");
    Findings other =
        new Findings(
            findings(List.of(), List.of()).summary(),
            1,
            List.of(),
            List.of(),
            List.of(),
            List.of(),
            List.of(new MemoryForecast(Leaving.LONGEST_UNUSED, 3 << 10, HALF, HALF)));
    assertThat(AdvisedFile.of(null, other, "a test"))
        .contains("    room: 3 KiB\n    leaves-first: longest-unused\n", "there are no rules");
    assertThat(read(AdvisedFile.of(null, other, "a test")).rules()).isEmpty();
  }

  @Test
  void aStudyHasAPage() throws Exception {
    assumeTrue(MachineFonts.present(), "plots need fonts");
    StudyPage page =
        new StudyPage(
            findings(List.of(repeats("", "0a3f9a1c5e", "SELECT '<b>'", 0.5)), List.of()), 5);
    Path file = directory.resolve("page.html");
    page.writePage(file);
    assertThat(Files.readString(file))
        .contains("&lt;b&gt;", "least time saved: 30.0 % in 1.00 MiB", "within 1.0 points")
        .doesNotContain("{{", "NaN");
    assertThat(page.writePlots(directory.resolve("plots"))).hasSize(3);
  }
}
