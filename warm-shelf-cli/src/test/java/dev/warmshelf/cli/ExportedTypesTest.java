package dev.warmshelf.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaModifier;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/**
 * What programs can see of the library is a decision, and shows where decisions are reviewed: the
 * types that its modules export to everybody stand in a file.
 */
class ExportedTypesTest {
  private static final Path LIST = Path.of("../docs/exported-types.txt");
  private static final Pattern TO_EVERYBODY = Pattern.compile("\\n  exports (dev[\\w.]+);");

  /** Those that a program of somebody's has on its path. */
  private static final Set<String> MODULES =
      Set.of(
          "warm-shelf",
          "warm-shelf-core",
          "warm-shelf-engine",
          "warm-shelf-postgres",
          "warm-shelf-door",
          "warm-shelf-config",
          "warm-shelf-metrics",
          "warm-shelf-record",
          "warm-shelf-testing");

  @Test
  void theListHasAllThatAreExportedAndNoMore() throws IOException {
    Set<String> packages = new TreeSet<>();
    for (String module : MODULES) {
      Matcher exports =
          TO_EVERYBODY.matcher(
              Files.readString(Path.of("../" + module + "/src/main/java/module-info.java")));
      while (exports.find()) {
        packages.add(exports.group(1));
      }
    }
    Set<String> exported = new TreeSet<>();
    for (String module : MODULES) {
      new ClassFileImporter()
              .withImportOption(new ImportOption.DoNotIncludeTests())
              .importPath(Path.of("../" + module + "/target/classes"))
              .stream()
              .filter(type -> packages.contains(type.getPackageName()) && isVisible(type))
              .forEach(type -> exported.add(type.getName().replace('$', '.')));
    }
    assertThat(String.join("\n", exported) + "\n")
        .as("exported types; if that was meant, change %s with it", LIST)
        .isEqualTo(Files.readString(LIST));
  }

  private static boolean isVisible(JavaClass type) {
    return type.getModifiers().contains(JavaModifier.PUBLIC)
        && !type.isAnonymousClass()
        && !type.isLocalClass()
        && type.getEnclosingClass().map(ExportedTypesTest::isVisible).orElse(true);
  }
}
