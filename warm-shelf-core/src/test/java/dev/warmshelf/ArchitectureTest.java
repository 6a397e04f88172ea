package dev.warmshelf;

import static com.tngtech.archunit.base.DescribedPredicate.not;
import static com.tngtech.archunit.core.domain.JavaClass.Predicates.resideInAnyPackage;
import static com.tngtech.archunit.core.domain.JavaClass.Predicates.type;
import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.nio.file.Path;
import org.junit.jupiter.api.Test;

/** The arrows that core must keep. */
class ArchitectureTest {
  private static final JavaClasses CORE =
      new ClassFileImporter()
          .withImportOption(new ImportOption.DoNotIncludeTests())
          .importPackages("dev.warmshelf");

  @Test
  void computationStaysFreeOfInputOutputAndInterfaceCode() {
    noClasses()
        .should()
        .dependOnClassesThat(
            resideInAnyPackage(
                    "java.sql..",
                    "javax.sql..",
                    "java.nio.file..",
                    "java.net..",
                    "javax.swing..",
                    "java.awt..",
                    "picocli..",
                    "com.fasterxml..")
                .and(not(type(Path.class)))) // a name, as a policy has one
        .check(CORE);
  }

  @Test
  void packagesHaveNoCycles() {
    slices().matching("dev.warmshelf.(**)").should().beFreeOfCycles().check(CORE);
  }

  @Test
  void keysKnowNothingOfShelves() {
    noClasses()
        .that()
        .resideInAPackage("dev.warmshelf.key..")
        .should()
        .dependOnClassesThat()
        .resideInAnyPackage(
            "dev.warmshelf.fresh..",
            "dev.warmshelf.store..",
            "dev.warmshelf.shelf..",
            "dev.warmshelf.meter..",
            "dev.warmshelf.spi.feed..")
        .check(CORE);
  }
}
