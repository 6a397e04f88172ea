package dev.warmshelf.config;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import dev.warmshelf.repository.MethodRule;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Sharing;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.Supplier;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class ConfigurationTest {
  private static Configuration of(String text) {
    return Configuration.of(text, "a file", Map.<String, String>of()::get);
  }

  private static List<String> mistakesOf(String text) {
    return catchThrowableOfType(ConfigurationException.class, () -> of(text)).mistakes();
  }

  @Test
  void theDocumentedFileIsOne() throws IOException {
    String page = Files.readString(Path.of("../docs/configuration.md"));
    Matcher example = Pattern.compile("(?s)ConfigurationTest.*?```yaml\n(.*?)```").matcher(page);
    assertThat(example.find()).isTrue();
    Configuration read =
        Configuration.of(example.group(1), "docs", Map.of("FEED_PASSWORD", "secret")::get);
    assertThat(read.shelves().keySet()).containsExactlyInAnyOrder("main", "reports");
    Policy reports = read.shelves().get("reports");
    assertThat(reports.expiry())
        .isEqualTo(Expiry.after(Duration.ofHours(1)).andUnusedFor(Duration.ofMinutes(20)));
    assertThat(reports.renewal()).isEqualTo(Renewal.lookingAgain());
    assertThat(reports.capacity().bytes()).isEqualTo(64L << 20);
    assertThat(read.rules())
        .extracting(Object::toString)
        .containsExactly(
            "mark fresh: not kept",
            "form 3f9a1c5e: kept on reports",
            "tables exactly [berth]: kept on reports, not in transactions that may write",
            "tables among [island, port]: kept on main");
    for (List<String> words :
        List.of(
            PolicyBlock.WORDS,
            RecipeBlock.WORDS,
            RecordingBlock.WORDS,
            ConfigurationReader.METHOD_WORDS)) {
      assertThat(words).allSatisfy(word -> assertThat(page).contains("`" + word + "`"));
    }
  }

  @Test
  void methodsOfRepositoriesHaveRules() {
    Configuration read =
        of(
            """
            repositories:
              com.example.Ports:
                find: {shelf: main, leaving-out: [trace]}
                rename: {drops: [find], fills: true}
            """);
    assertThat(read.repositories())
        .isEqualTo(
            Map.of(
                "com.example.Ports",
                Map.of(
                    "find",
                    MethodRule.kept().leavingOut("trace"),
                    "rename",
                    MethodRule.dropping("find").andFilling())));
    assertThat(
            mistakesOf(
                """
                repositories:
                  com.example.Ports:
                    find: {shelf: nowhere}
                    count: {leaving-out: [trace]}
                    all: {shelf: main, fills: true}
                    some: {kept: main}
                """))
        .satisfiesExactly(
            shelf -> assertThat(shelf).startsWith("line 3: there is no shelf 'nowhere'"),
            nothing -> assertThat(nothing).startsWith("line 4: a method's rule says"),
            fills -> assertThat(fills).startsWith("line 5: 'fills' goes with 'drops'"),
            unknown -> assertThat(unknown).startsWith("line 6: 'kept' is not known here"),
            nothing -> assertThat(nothing).startsWith("line 6: a method's rule says"));
  }

  @Test
  void auditsAreSwitchedOffInOneWord() {
    Configuration read =
        of(
            """
            policies:
              quiet: {audits: off}
              usual: {like: quiet, audits: standard}
              loud: {audit-one-in: 10}
            shelves: {a: quiet, b: usual, c: loud, d: default}
            """);
    assertThat(audit(read, "a").isNone()).isTrue();
    assertThat(audit(read, "b")).isEqualTo(Audit.standard());
    assertThat(audit(read, "c")).isEqualTo(Audit.oneIn(10));
    assertThat(audit(read, "d")).isEqualTo(Audit.standard());
    assertThat(mistakesOf("policies: {quiet: {audits: seldom}}"))
        .singleElement()
        .asString()
        .startsWith("line 1: 'seldom' is neither standard nor off");
  }

  /** Each word of a policy, as one policy has it, and as another that is like that one. */
  private static final Map<String, List<String>> WORDS =
      Map.ofEntries(
          Map.entry("ttl", List.of("5 min", "7 min", "none")),
          Map.entry("unused-for", List.of("1 min", "2 min", "none")),
          Map.entry("empty-ttl", List.of("2 s", "0 s", "none")),
          Map.entry("ends-with-process", List.of("true", "false")),
          Map.entry("room", List.of("64 MiB", "32 MiB")),
          Map.entry("entries", List.of("100", "200")),
          Map.entry("largest", List.of("10 %", "20 %")),
          Map.entry("leaves-first", List.of("any", "longest-unused")),
          Map.entry("when-changed", List.of("mend", "mend")),
          Map.entry("mends-from", List.of("50 ms", "70 ms")),
          Map.entry("ahead", List.of("10 %", "20 %", "none")),
          Map.entry("old-while-loading", List.of("1 s", "2 s", "none")),
          Map.entry("old-when-failing", List.of("10 s", "20 s", "none")),
          Map.entry("feed-lost-after", List.of("3 s", "4 s")),
          Map.entry("when-feed-lost", List.of("serve-within-ttl", "ask-database", "30 s")),
          Map.entry("audit-one-in", List.of("7", "8")),
          Map.entry("shown", List.of("rows", "digests")),
          Map.entry("slow-load", List.of("1 s", "2 s")),
          Map.entry("waits-at-most", List.of("3 s", "4 s")),
          Map.entry("stands-down", List.of("false", "true")));

  private static String inBlock(Map<String, String> words) {
    return words.entrySet().stream()
        .map(each -> each.getKey() + ": " + each.getValue())
        .collect(Collectors.joining(", ", "{", "}"));
  }

  /** A policy says otherwise what it says, and nothing else. */
  @Test
  void whatAPolicyDoesNotSayIsAsInTheOneThatItIsLike() {
    Map<String, String> all = new TreeMap<>();
    WORDS.forEach((word, values) -> all.put(word, values.get(0)));
    assertThat(PolicyBlock.WORDS)
        .containsAll(WORDS.keySet())
        .allMatch(word -> WORDS.containsKey(word) || word.equals("audits"));
    Map<String, String> unsaid =
        Map.of("when-changed: look-again", "mends-from", "audits: off", "audit-one-in");
    List<String> others = new ArrayList<>(unsaid.keySet());
    WORDS.forEach((word, values) -> values.forEach(value -> others.add(word + ": " + value)));
    for (String other : others) {
      String[] said = other.split(": ", 2);
      Map<String, String> whole = new TreeMap<>(all);
      whole.put(said[0], said[1]);
      String gone = unsaid.get(other);
      if (gone != null) {
        whole.remove(gone);
      }
      Configuration read =
          of(
              "policies: {one: %s, like: {like: one, %s}, whole: %s}\nshelves: {a: like, b: whole}"
                  .formatted(inBlock(all), other, inBlock(whole)));
      assertThat(read.shelves().get("a")).as(other).isEqualTo(read.shelves().get("b"));
    }
  }

  private static Audit audit(Configuration of, String shelf) {
    return of.shelves().get(shelf).audit();
  }

  @Test
  void noPasswordStandsInTheFileInWhateverShape() {
    assertThat(
            mistakesOf(
                """
                feed:
                  url: jdbc:postgresql://me:s3cret@db/x
                  password: ${DB_PASSWORD:-s3cret}
                shared:
                  url: "jdbc:postgresql://db/x?password=${DB_PASSWORD}"
                """))
        .satisfiesExactlyInAnyOrder(
            feed -> assertThat(feed).startsWith("line 2: a password does not stand in this file"),
            byDefault -> assertThat(byDefault).startsWith("line 3: a password has no default"),
            shared -> assertThat(shared).startsWith("line 5: a password does not stand"))
        .noneMatch(mistake -> mistake.contains("s3cret"));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "namespace: x\nrules: &a [*a]",
        "namespace: x\nrules: &a {tables: *a}",
        "x: &a {y: 1}\nrules: &b [*a, *a]\nz: &c [*b, *b]"
      })
  void noPieceStandsForOneThatHoldsAnother(String text) {
    assertThat(mistakesOf(text))
        .singleElement()
        .asString()
        .startsWith("line 2: an alias stands within");
  }

  @Test
  void whatIsTooDeepIsAMistakeWithALine() {
    for (int levels : new int[] {41, 100_000}) {
      String flow = "namespace: x\nrules: " + "[".repeat(levels) + "]".repeat(levels);
      assertThat(mistakesOf(flow))
          .singleElement()
          .asString()
          .startsWith("line 2: this is more than 40 levels deep");
    }
    StringBuilder block = new StringBuilder();
    for (int level = 0; level < 3_000; level++) {
      block.append(" ".repeat(level)).append("a:\n");
    }
    assertThat(mistakesOf(block.toString())).singleElement().asString().contains("levels deep");
  }

  @Test
  void whatIsNoFileIsNotRead() {
    for (String no : new String[] {"/dev/zero", "/dev", "/nowhere/warm-shelf.yaml"}) {
      assertThatThrownBy(() -> Configuration.read(Path.of(no)))
          .isInstanceOf(ConfigurationException.class)
          .hasMessageContaining(no);
    }
    assertThat(mistakesOf("namespace: \"${file:/dev/zero}\""))
        .singleElement()
        .asString()
        .contains("'/dev/zero' cannot be read");
  }

  @Test
  void allMistakesAreToldAtOnceWithTheirLines() {
    assertThat(
            mistakesOf(
                """
                namespace: x
                colour: red
                feed:
                  look-every: 10
                  password: secret
                policies:
                  default: {ttl: 5 minutes}
                shelves:
                  reports: nowhere
                  rosters: default
                rules:
                  - tables-among: [port]
                    shelf: nowhere
                  - mark: a
                    form: 12345678
                  - form: abc
                  - mark: a
                    keep: maybe
                """))
        .satisfiesExactly(
            colour -> assertThat(colour).startsWith("line 2: 'colour' is not known here"),
            missing -> assertThat(missing).contains("go with a 'url' of their own"),
            unit -> assertThat(unit).startsWith("line 4: '10' has no unit").contains("500 ms"),
            secret -> assertThat(secret).startsWith("line 5: a password does not stand"),
            time -> assertThat(time).startsWith("line 7: '5 minutes' has an unknown unit"),
            policy -> assertThat(policy).startsWith("line 9: there is no policy 'nowhere'"),
            own -> assertThat(own).startsWith("line 10: the shelf 'rosters' is the library's own"),
            shelf -> assertThat(shelf).startsWith("line 13: there is no shelf 'nowhere'"),
            two -> assertThat(two).startsWith("line 14: a rule says by what"),
            digits -> assertThat(digits).startsWith("line 16: A form's digest begins with 8"),
            yes -> assertThat(yes).startsWith("line 18: true or false is expected"));
  }

  @Test
  void mistakesInRecipesAndRecordingsAreToldToo() {
    assertThat(
            mistakesOf(
                """
                shelves:
                  main:
                    fold: {name: [trimmed, shouted], at: down-to 5}
                    leave-out: {a: b}
                    add: [tenant]
                recording:
                  at-most: many
                """))
        .satisfiesExactly(
            fold -> assertThat(fold).startsWith("line 3: 'shouted' is not known here"),
            unit -> assertThat(unit).startsWith("line 3: '5' has no unit"),
            out -> assertThat(out).startsWith("line 4: "),
            add -> assertThat(add).startsWith("line 5: "),
            file -> assertThat(file).startsWith("line 7: ").contains("'file'"));
  }

  @Test
  void aWarmStartNeedsAFeed() {
    assertThat(
            mistakesOf(
                """
                feed: none
                policies:
                  default: {ttl: 5 min, ends-with-process: perhaps}
                warm-start: {file: x, every: 10, where: here}
                """))
        .satisfiesExactlyInAnyOrder(
            yes -> assertThat(yes).startsWith("line 3: true or false is expected"),
            word -> assertThat(word).startsWith("line 4: 'where' is not known here"),
            feed -> assertThat(feed).startsWith("line 4: a warm start needs a feed"),
            unit -> assertThat(unit).startsWith("line 4: '10' has no unit"));
  }

  @Test
  void aSharedStoreNeedsAFeedAndKnowsItsWords() {
    assertThat(
            mistakesOf(
                """
                feed: none
                policies:
                  default: {ttl: 5 min}
                shared: {user: me, password: secret, answers-within: 0 s, colour: red, queue: 0 B}
                """))
        .satisfiesExactlyInAnyOrder(
            word -> assertThat(word).startsWith("line 4: 'colour' is not known here"),
            feed -> assertThat(feed).startsWith("line 4: a shared store needs a feed"),
            who -> assertThat(who).contains("go with a 'url' of their own"),
            secret -> assertThat(secret).contains("a password does not stand in this file"),
            time -> assertThat(time).contains("a millisecond at least is expected here, not '0 s'"),
            size -> assertThat(size).contains("some bytes are expected"));
    Configuration read =
        of(
            """
            shared:
              url: jdbc:postgresql://stores.example:5432/answers?sslmode=verify-full
              user: app
              connections: 2
              answers-within: 20 ms
              waits-at-most: 3 s
              queue: 1 MiB
              largest: 64 KiB
              from-load-of: 5 ms
            """);
    Sharing sharing = read.sharing(new UrlSource(() -> null)).orElseThrow();
    assertThat(sharing.waiting()).isEqualTo(Duration.ofSeconds(3));
    assertThat(sharing.queueBytes()).isEqualTo(1 << 20);
    assertThat(sharing.answerBytes()).isEqualTo(64 << 10);
    assertThat(sharing.fromLoadOf()).contains(Duration.ofMillis(5));
    assertThat(sharing.store().answersWithin()).isEqualTo(Duration.ofMillis(20));
    assertThat(sharing.store().describe())
        .isEqualTo("PostgreSQL at jdbc:postgresql://stores.example:5432/answers");
    assertThat(read.sharedStore()).hasValue("jdbc:postgresql://stores.example:5432/answers");
    assertThat(of("rules: []").sharedStore()).isEmpty();
  }

  /** What a program adds to its keys. */
  public static final class Tenant implements Supplier<String> {
    @Override
    public String get() {
      return "north";
    }
  }

  @Test
  void aClassOfTheProgramsIsLookedForWhenTheShelvesAreOpened() {
    String good = "shelves: {main: {add: {tenant: '" + Tenant.class.getName() + "'}}}";
    assertThat(of(good).over(new UrlSource(() -> null))).isNotNull();
    String bad = "shelves:\n  main:\n    add: {a: java.lang.String, b: no.such.Class}\n";
    Configuration read = of(bad);
    assertThatThrownBy(() -> read.over(new UrlSource(() -> null)))
        .isInstanceOfSatisfying(
            ConfigurationException.class,
            e ->
                assertThat(e.mistakes())
                    .satisfiesExactly(
                        none -> assertThat(none).startsWith("line 3: 'java.lang.String'"),
                        no -> assertThat(no).contains("no.such.Class", "ClassNotFound")));
  }

  @Test
  void withoutAFeedEachShelfNeedsATtl() {
    assertThat(mistakesOf("feed: none\nshelves: {main: {ttl: none}}\n"))
        .singleElement()
        .asString()
        .contains("the shelf 'main' follows no feed and has no 'ttl'");
    assertThat(of("feed: none\n").shelves()).containsOnlyKeys("main");
  }

  @Test
  void valuesComeFromTheEnvironmentOrFilesOfTheirOwn(@TempDir Path folder) throws IOException {
    Path secret = Files.writeString(folder.resolve("secret"), "hidden\n");
    String text =
        """
        namespace: ${APP:-shop}-${STAGE}
        feed: {url: "jdbc:postgresql://x/y", user: u, password: "${file:%s}"}
        """
            .formatted(secret);
    Configuration.of(text, "a file", Map.of("STAGE", "test")::get);
    assertThat(mistakesOf(text)).singleElement().asString().contains("no variable STAGE");
    assertThat(mistakesOf("namespace: ${file:/no/such}"))
        .singleElement()
        .asString()
        .startsWith("line 1: the file '/no/such' cannot be read");
    assertThat(mistakesOf("namespace: ${a b}")).singleElement().asString().contains("${NAME}");
  }

  @Test
  void aSwitchTurnsItOff() {
    assertThat(of("enabled: false").isEnabled()).isFalse();
    assertThat(
            Configuration.of("namespace: x", "a file", Map.of(Configuration.SWITCH, "false")::get)
                .isEnabled())
        .isFalse();
  }

  @Test
  void whatIsNoYamlIsAnError() {
    assertThatThrownBy(() -> of("a: [")).hasMessageContaining("this is not YAML");
    assertThatThrownBy(() -> of("")).hasMessageContaining("the file is empty");
    assertThatThrownBy(() -> Configuration.read(Path.of("no-such.yaml")))
        .isInstanceOf(ConfigurationException.class)
        .hasMessageContaining("no such file");
  }
}
