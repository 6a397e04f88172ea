package dev.warmshelf.measure.report;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.measure.database.DatabaseFacts;
import dev.warmshelf.measure.database.DatabaseWork;
import dev.warmshelf.measure.figures.Conditions;
import dev.warmshelf.measure.figures.DatabaseReads;
import dev.warmshelf.measure.figures.Figures;
import dev.warmshelf.measure.figures.Kept;
import dev.warmshelf.measure.figures.Pace;
import dev.warmshelf.measure.figures.QueryFigures;
import dev.warmshelf.measure.figures.Reads;
import dev.warmshelf.measure.figures.Result;
import dev.warmshelf.measure.figures.RunSettings;
import dev.warmshelf.measure.figures.Staleness;
import dev.warmshelf.measure.figures.Traffic;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.meter.Meters;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import org.HdrHistogram.Histogram;
import org.junit.jupiter.api.Test;

/** docs/measuring.md says what every field is. */
class MeasuringPageTest {
  private static final Path PAGE = Path.of("../docs/measuring.md");

  @Test
  void everyFieldOfJsonStandsOnThePage() throws Exception {
    String page = Files.readString(PAGE);
    Set<String> names = new TreeSet<>();
    collect(new ComparisonFields(result()).all(), names);
    assertThat(names).hasSizeGreaterThan(50);
    for (String name : names) {
      assertThat(page).as(name).contains("`" + name + "`");
    }
  }

  @Test
  void everyColumnOfCsvStandsOnThePage() throws Exception {
    String page = Files.readString(PAGE);
    String head = new ComparisonFields(result()).csv().lines().findFirst().orElseThrow();
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
            boolean own = !name.equals("query") && !name.equals("rows of data");
            if (own) {
              names.add(name.toString());
            }
            if (!name.equals("shelf")) {
              collect(each, names);
            }
          });
    }
  }

  private static Result result() {
    RunSettings settings =
        new RunSettings(
            Set.of(WayKind.ANSWERS),
            Duration.ZERO,
            Duration.ofSeconds(1),
            new Traffic(1, 0, 0),
            Duration.ofSeconds(5),
            1);
    return new Result(
        new Conditions(
            "w",
            new DatabaseFacts("PostgreSQL", 1, Map.of("rows of data", 1L)),
            settings,
            Pace.UNPACED,
            "digest",
            Duration.ZERO,
            Duration.ofSeconds(1)),
        List.of(),
        List.of(figures(WayKind.DIRECT), figures(WayKind.ANSWERS)),
        Map.of(),
        Optional.empty());
  }

  private static Figures figures(WayKind way) {
    Histogram times = new Histogram(3);
    times.recordValue(5);
    return new Figures(
        way,
        new Reads(times, 1, 1, 0),
        new DatabaseReads(1, Optional.of(new DatabaseWork.Done(1, 1, 1, 1, 1))),
        new Staleness(1, 1, 0, times),
        new Kept(Optional.of(new Meters().snapshot()), times),
        Map.of("query", new QueryFigures()),
        List.of());
  }
}
