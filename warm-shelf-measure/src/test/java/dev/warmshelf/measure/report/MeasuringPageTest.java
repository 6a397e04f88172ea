package dev.warmshelf.measure.report;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;

/** docs/measuring.md says what every field is. */
class MeasuringPageTest {
  private static final Path PAGE = Path.of("../docs/measuring.md");

  /** Of the sample. */
  private static final Set<Object> LABELS = Set.of("query", SampleResult.RARE, "rows of data");

  @Test
  void everyFieldOfJsonStandsOnThePage() throws Exception {
    String page = Files.readString(PAGE);
    Set<String> names = new TreeSet<>();
    collect(new ComparisonFields(SampleResult.of(2, 2)).all(), names);
    assertThat(names).hasSizeGreaterThan(50);
    for (String name : names) {
      assertThat(page).as(name).contains("`" + name + "`");
    }
  }

  @Test
  void everyColumnOfCsvStandsOnThePage() throws Exception {
    String page = Files.readString(PAGE);
    String head =
        new ComparisonFields(SampleResult.of(2, 2)).csv().lines().findFirst().orElseThrow();
    for (String column : head.split(",", -1)) {
      assertThat(page).as(column).contains("`" + column + "`");
    }
  }

  /** All names but those that are labels of the engineer's, or a shelf's counts. */
  private static void collect(Object value, Set<String> names) {
    if (value instanceof List<?> list) {
      list.forEach(each -> collect(each, names));
    } else if (value instanceof Map<?, ?> map) {
      map.forEach(
          (name, each) -> {
            if (!LABELS.contains(name)) {
              names.add(name.toString());
            }
            if (!name.equals("shelf")) {
              collect(each, names);
            }
          });
    }
  }
}
