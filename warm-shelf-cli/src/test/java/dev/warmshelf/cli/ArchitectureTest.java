package dev.warmshelf.cli;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;
import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.domain.JavaPackage;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;
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
          "dev.warmshelf.trial",
          "dev.warmshelf.key",
          "dev.warmshelf.lane",
          "dev.warmshelf.fresh",
          "dev.warmshelf.meter",
          "dev.warmshelf.feed",
          "dev.warmshelf.store",
          "dev.warmshelf.shelf",
          "dev.warmshelf.http",
          // sql
          "dev.warmshelf.sql.text",
          "dev.warmshelf.sql.tree",
          "dev.warmshelf.sql",
          // jdbc
          "dev.warmshelf.session",
          "dev.warmshelf.postgres",
          "dev.warmshelf.journal",
          "dev.warmshelf.row",
          "dev.warmshelf.file",
          "dev.warmshelf.shared",
          "dev.warmshelf.driver",
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
        .resideInAnyPackage("dev.warmshelf.sql..", "dev.warmshelf.record..")
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage("java.sql..", "javax.sql..", "org.postgresql..")
        .check(ALL);
  }
}
