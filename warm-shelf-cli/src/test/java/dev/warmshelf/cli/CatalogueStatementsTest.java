package dev.warmshelf.cli;

import static java.util.stream.Collectors.toCollection;
import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;

/**
 * Whoever may create objects in a schema on the path can have an operator of his called by a
 * statement that leaves names to the path. So each class that asks the catalogue is known here,
 * with how its names are looked up, and what it asks is run by the test that is named, among
 * operators that fit better than the system's.
 */
class CatalogueStatementsTest {
  private static final Pattern ASKS = Pattern.compile("\\b(FROM|JOIN)\\s+(pg_catalog\\.)?pg_[a-z]");

  /** Run on the system's path, in RightsTest (the module of the journal). */
  private static final Set<String> JOURNAL =
      Set.of(
          "Coverage",
          "Journal",
          "JournalReader",
          "JournalStatus",
          "ReaderRights",
          "TableShape",
          "TriggerText");

  /** Run on the system's path by the analyser, in RightsTest; a session's are written with it. */
  private static final Set<String> STATEMENTS =
      Set.of("Analyser", "ColumnKinds", "FoundFacts", "SchemaPrints", "SessionQuestion");

  /** In SurveyTest. */
  private static final Set<String> MEASUREMENT =
      Set.of("DatabaseWork", "Distinct", "ExplainedPlan", "IndexAdvice", "Statistics");

  /** Takes the path of the measurement's classes. */
  private static final Set<String> TOOL = Set.of("ConfigurationCheck");

  @Test
  void eachClassThatAsksTheCatalogueIsKnown() throws IOException {
    Set<String> known = new TreeSet<>();
    Stream.of(JOURNAL, STATEMENTS, MEASUREMENT, TOOL).forEach(known::addAll);
    assertThat(asking())
        .as("a new one says how names are looked up, and is run where others' operators are")
        .isEqualTo(known);
  }

  private static Set<String> asking() throws IOException {
    try (Stream<Path> files = Files.walk(Path.of(".."))) {
      return files
          .filter(file -> file.toString().matches("\\.\\./warm-shelf(-[a-z]+)?/src/main/.*\\.java"))
          .filter(file -> !file.toString().matches("../warm-shelf-(bench|examples)/.*"))
          .filter(file -> ASKS.matcher(read(file)).find())
          .map(file -> file.getFileName().toString().replace(".java", ""))
          .collect(toCollection(TreeSet::new));
    }
  }

  private static String read(Path file) {
    try {
      return Files.readString(file);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
