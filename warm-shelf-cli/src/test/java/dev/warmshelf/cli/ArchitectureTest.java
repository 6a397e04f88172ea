package dev.warmshelf.cli;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.domain.JavaPackage;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Set;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;

/** The arrows of all modules: no package knows a package above it. */
class ArchitectureTest {
  private static final JavaClasses ALL =
      new ClassFileImporter()
          .withImportOption(new ImportOption.DoNotIncludeTests())
          .importPackages("dev.warmshelf");

  /** From the ground up; the modules' packages stand together, in the modules' order. */
  private static final List<String> FROM_THE_GROUND_UP =
      List.of(
          // core
          "dev.warmshelf.time",
          "dev.warmshelf.base",
          "dev.warmshelf.trial",
          "dev.warmshelf.key",
          "dev.warmshelf.lane",
          "dev.warmshelf.plan",
          "dev.warmshelf.fresh",
          "dev.warmshelf.meter",
          "dev.warmshelf.spi.feed",
          "dev.warmshelf.delivery",
          "dev.warmshelf.spi.store",
          "dev.warmshelf.shelf",
          "dev.warmshelf.store",
          "dev.warmshelf.shelf.read",
          "dev.warmshelf.http",
          // engine
          "dev.warmshelf.statement.text",
          "dev.warmshelf.statement",
          "dev.warmshelf.database",
          "dev.warmshelf.answer",
          "dev.warmshelf.caller",
          "dev.warmshelf.verdict",
          "dev.warmshelf.outside",
          "dev.warmshelf.engine",
          // postgres
          "dev.warmshelf.postgres.tree",
          "dev.warmshelf.postgres.driver",
          "dev.warmshelf.postgres.analysis",
          "dev.warmshelf.postgres",
          "dev.warmshelf.journal",
          "dev.warmshelf.shared",
          // door
          "dev.warmshelf.door",
          // the face
          "dev.warmshelf.jmx",
          "dev.warmshelf",
          "dev.warmshelf.repository",
          // record
          "dev.warmshelf.record",
          "dev.warmshelf.study",
          // metrics
          "dev.warmshelf.metrics",
          // config
          "dev.warmshelf.yaml",
          "dev.warmshelf.config",
          // measure
          "dev.warmshelf.measure.text",
          "dev.warmshelf.measure.workload",
          "dev.warmshelf.measure.database",
          "dev.warmshelf.measure.survey",
          "dev.warmshelf.measure.figures",
          "dev.warmshelf.measure.run",
          "dev.warmshelf.measure.report",
          // what shows it
          "dev.warmshelf.scenario",
          "dev.warmshelf.examples",
          "dev.warmshelf.cli.screen",
          "dev.warmshelf.cli.program",
          "dev.warmshelf.cli.command",
          "dev.warmshelf.cli.demo",
          "dev.warmshelf.cli");

  static List<String> packages() {
    return FROM_THE_GROUND_UP;
  }

  @ParameterizedTest
  @MethodSource("packages")
  void noPackageKnowsAPackageAboveIt(String name) {
    int place = FROM_THE_GROUND_UP.indexOf(name);
    String[] above =
        FROM_THE_GROUND_UP.subList(place + 1, FROM_THE_GROUND_UP.size()).toArray(new String[0]);
    if (above.length > 0) {
      noClasses()
          .that()
          .resideInAPackage(name)
          .should()
          .dependOnClassesThat()
          .resideInAnyPackage(above)
          .check(ALL);
    }
  }

  @Test
  void everyPackageHasItsPlace() {
    Set<String> found =
        ALL.stream().map(each -> each.getPackage().getName()).collect(Collectors.toSet());
    assertThat(found).containsExactlyInAnyOrderElementsOf(FROM_THE_GROUND_UP);
    assertThat(ALL.getPackage("dev.warmshelf").getSubpackages())
        .extracting(JavaPackage::getName)
        .contains("dev.warmshelf.key");
  }

  @Test
  void thereAreNoCycles() {
    slices().matching("dev.warmshelf.(**)").should().beFreeOfCycles().check(ALL);
  }

  @Test
  void measuringKnowsNeitherCommandLineNorScenarioNorServer() {
    noClasses()
        .that()
        .resideInAPackage("dev.warmshelf.measure..")
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage(
            "picocli..", "dev.warmshelf.scenario..", "io.zonky..", "java.io.Console")
        .check(ALL);
  }

  @Test
  void onlyTheDatabasesSideKnowsJdbc() {
    noClasses()
        .that()
        .resideInAnyPackage("dev.warmshelf.statement..", "dev.warmshelf.record..")
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage("java.sql..", "javax.sql..", "org.postgresql..")
        .check(ALL);
  }

  /** What measures a PostgreSQL, or starts one, knows that it does. */
  private static final String[] KNOW_POSTGRESQL = {
    "dev.warmshelf.postgres..",
    "dev.warmshelf.journal",
    "dev.warmshelf.scenario",
    "dev.warmshelf.cli..",
    "dev.warmshelf.examples"
  };

  @Test
  void onlyOneRoomKnowsTheDriver() {
    noClasses()
        .that()
        .resideOutsideOfPackages(KNOW_POSTGRESQL)
        .should()
        .dependOnClassesThat()
        .resideInAPackage("org.postgresql..")
        .check(ALL);
  }

  @Test
  void statesOfErrorsHaveOneHome() throws IOException {
    Pattern state = Pattern.compile("\"[0-9][0-9A-Z][0-9A-Z]{3}\"");
    try (Stream<Path> files = Files.walk(Path.of(".."))) {
      assertThat(
              files
                  .filter(
                      file ->
                          file.toString().matches("\\.\\./warm-shelf[a-z-]*/src/main/.*\\.java"))
                  .filter(file -> !file.toString().matches("../warm-shelf-(bench|scenario)/.*"))
                  .filter(file -> state.matcher(read(file)).find())
                  .map(file -> file.getFileName().toString()))
          .containsExactly("SqlState.java");
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
