package dev.warmshelf.measure.run;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.within;

import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.Requests;
import dev.warmshelf.measure.workload.VersionColumn;
import dev.warmshelf.measure.workload.VersionColumn.Identity;
import dev.warmshelf.measure.workload.VersionedThing;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.trial.CommitLedger;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;

class ReaderTest {
  private static final Workload.Statement QUERY =
      new Workload.Statement(
          "rows",
          1,
          SqlStatement.of("SELECT id, version FROM t WHERE id < 4"),
          Map.of(),
          Set.of(),
          List.of(
              new VersionColumn(
                  "row",
                  new Identity(Identity.Kind.COLUMN, "id"),
                  "version",
                  VersionColumn.Over.MAX)),
          Duration.ZERO);

  private static final Requests ENDLESS = () -> new Requests.Paced(new Request(QUERY, Map.of()), 0);

  private final CommitLedger<VersionedThing> ledger = new CommitLedger<>();
  private final Random random = new Random(5);
  private final List<Long> latencies = new ArrayList<>();
  private long now = 1_000;

  /** A commit, as the search through all of them knows it. */
  private record Commit(String id, long version, long returned) {}

  /** A read, likewise. */
  private record Asked(Map<String, Long> seen, long began) {}

  @Test
  void agreesWithASearchThroughAllCommitsOnRandomStreams() throws Exception {
    List<Commit> commits = new ArrayList<>();
    List<Asked> reads = new ArrayList<>();
    Map<String, Long> versions = new HashMap<>();
    List<List<Map<String, Object>>> kept = new ArrayList<>();
    List<Runnable> notesToCome = new ArrayList<>();
    Way way =
        way(
            request -> {
              long began = now;
              // Some commits return during the read; the notes of some of those come only later.
              for (int i = random.nextInt(3); i > 0; i--) {
                String id = "" + random.nextInt(4);
                long version = versions.merge(id, 1L, Long::sum);
                now += random.nextInt(50);
                Commit commit = new Commit(id, version, now);
                commits.add(commit);
                ledger.commitBegins();
                Runnable note =
                    () -> {
                      ledger.committed(new VersionedThing("row", id), version, commit.returned());
                      ledger.commitIsOver();
                    };
                if (random.nextInt(4) == 0) {
                  notesToCome.add(note);
                } else {
                  note.run();
                }
              }
              boolean again = !kept.isEmpty() && random.nextInt(3) > 0;
              List<Map<String, Object>> rows =
                  again ? kept.get(random.nextInt(kept.size())) : rows(versions);
              kept.add(rows);
              reads.add(new Asked(seen(rows), began));
              now += 1 + random.nextInt(1_000);
              latencies.add(now - began);
              if (random.nextInt(5) == 0) {
                notesToCome.forEach(Runnable::run);
                notesToCome.clear();
              }
              Origin origin = again ? Origin.KEPT : Origin.LOADED;
              return new Way.Read(origin, rows, 500, false, () -> true);
            });
    Reader reader = new Reader(way, ENDLESS, ledger, () -> now, false, false);
    reader.readUntil(1_000_000, () -> false);
    notesToCome.forEach(Runnable::run);
    reader.judgeTheRest();
    Reader.Tally tally = reader.take();

    List<Long> expected = new ArrayList<>();
    for (Asked read : reads) {
      commits.stream()
          .filter(c -> c.version() > read.seen().get(c.id()) && c.returned() < read.began())
          .mapToLong(c -> read.began() - c.returned())
          .max()
          .ifPresent(expected::add);
    }
    assertThat(reads).hasSizeGreaterThan(1_000);
    assertThat(expected).hasSizeGreaterThan(100);
    assertThat(tally.stale.stream().map(Reader.Stale::ageNanos).sorted().toList())
        .isEqualTo(expected.stream().sorted().toList());
    List<Long> sorted = latencies.stream().sorted().toList();
    for (double percentile : new double[] {50, 95, 99, 100}) {
      long exact = sorted.get((int) Math.ceil(percentile / 100 * sorted.size()) - 1);
      assertThat((double) tally.latency.getValueAtPercentile(percentile))
          .isCloseTo((double) exact, within(exact * 0.002 + 1));
    }
    assertThat(tally.lookups).isEqualTo(reads.size());
  }

  @Test
  void aStallShowsInEveryRequestThatItDelayed() throws Exception {
    // Ten requests, due every 100; the third takes 500, the others 10.
    int[] asked = {0};
    Requests ten =
        () -> asked[0]++ < 10 ? new Requests.Paced(new Request(QUERY, Map.of()), 100) : null;
    int[] read = {0};
    Way way =
        way(
            request -> {
              now += ++read[0] == 3 ? 500 : 10;
              return new Way.Read(Origin.DIRECT, List.of(), 0, false, () -> true);
            });
    Reader reader = new Reader(way, ten, ledger, this::passing, false, false);
    now = 0;
    reader.readPaced(0, 10_000, () -> false);
    Reader.Tally tally = reader.take();
    // By hand: the third is done at 800, so those due at 400, 500, 600, 700 are done at 810 to 840.
    assertThat(tally.latency.getTotalCount()).isEqualTo(10);
    assertThat(
            tally.latency.getCountBetweenValues(90, 600)
                + tally.latency.getCountBetweenValues(5, 89))
        .isEqualTo(10);
    assertThat(tally.latency.getCountBetweenValues(90, 600)).isEqualTo(5);
    assertThat(tally.latency.getMaxValue()).isBetween(500L, 520L);
    assertThat(tally.notAsked).isZero();
    assertThat(reader.isAtEnd()).isTrue();
  }

  @Test
  void aWayThatCannotKeepUpIsGivenUpAndItsRequestsCountWithTheirWaiting() throws Exception {
    Requests every10 = () -> new Requests.Paced(new Request(QUERY, Map.of()), 10);
    Way way =
        way(
            request -> {
              now += 100;
              return new Way.Read(Origin.DIRECT, List.of(), 0, false, () -> true);
            });
    Reader reader = new Reader(way, every10, ledger, this::passing, false, false);
    now = 0;
    reader.readPaced(0, 1_000, () -> false);
    Reader.Tally tally = reader.take();
    assertThat(tally.latency.getTotalCount()).isEqualTo(99);
    assertThat(tally.notAsked).isBetween(65L, 75L);
    assertThat(tally.latency.getMaxValue()).isGreaterThan(1_900);
    reader.readPaced(now, now + 1_000, () -> false);
    assertThat(reader.take().latency.getTotalCount()).isBetween(99L, 101L);
  }

  @Test
  void aReadOfTheWarmUpIsNotJudgedAfterIt() throws Exception {
    ledger.committed(new VersionedThing("row", "0"), 1, 0);
    Way way =
        way(
            request -> {
              ledger.commitBegins(); // so that the judgement waits
              now += 10;
              return new Way.Read(Origin.LOADED, rows(Map.of()), 0, false, () -> true);
            });
    Reader reader = new Reader(way, ENDLESS, ledger, () -> now, false, false);
    reader.readUntil(now + 5, () -> false);
    reader.forget();
    ledger.commitIsOver();
    reader.judgeTheRest();
    assertThat(reader.take().stale).isEmpty();
    reader.readUntil(now + 5, () -> false);
    ledger.commitIsOver();
    reader.judgeTheRest();
    assertThat(reader.take().stale).hasSize(1);
  }

  @Test
  void hitsAndWhatTheySavedAreCountedByQuery() throws Exception {
    Origin[] origins = {Origin.LOADED, Origin.KEPT, Origin.JOINED, Origin.KEPT, Origin.DIRECT};
    int[] at = {0};
    Way way =
        way(
            request -> {
              now += 10;
              return new Way.Read(origins[at[0]++ % 5], List.of(), 250, false, () -> true);
            });
    Reader reader = new Reader(way, ENDLESS, ledger, () -> now, false, false);
    now = 0;
    reader.readUntil(50, () -> false);
    Reader.Tally tally = reader.take();
    assertThat(tally.hits).isEqualTo(2);
    assertThat(tally.lookups).isEqualTo(4);
    assertThat(tally.queries.get("rows").savedNanos()).isEqualTo(2 * (250 - 10));
    assertThat(tally.queries.get("rows").hitRatio()).isEqualTo(0.4);
  }

  @Test
  void aRoundInWhichLittleIsDueTakesItsTimeAndTheRestIsDueInTheNext() throws Exception {
    Requests every700 = () -> new Requests.Paced(new Request(QUERY, Map.of()), 700);
    Way way = way(request -> new Way.Read(Origin.DIRECT, List.of(), 0, false, () -> true));
    Reader reader = new Reader(way, every700, ledger, this::passing, false, false);
    now = 0;
    List<Long> asked = new ArrayList<>();
    for (int round = 0; round < 7; round++) {
      reader.readPaced(1_000L * round, 1_000L * (round + 1), () -> false);
      assertThat(now).isGreaterThanOrEqualTo(1_000L * (round + 1));
      asked.add(reader.take().latency.getTotalCount());
    }
    assertThat(asked).containsExactly(1L, 1L, 2L, 1L, 2L, 1L, 1L);
  }

  private long passing() {
    return now++;
  }

  private List<Map<String, Object>> rows(Map<String, Long> versions) {
    List<Map<String, Object>> rows = new ArrayList<>();
    for (int id = 0; id < 4; id++) {
      rows.add(Map.of("id", id, "version", versions.getOrDefault("" + id, 0L)));
    }
    return rows;
  }

  private static Map<String, Long> seen(List<Map<String, Object>> rows) {
    Map<String, Long> seen = new HashMap<>();
    rows.forEach(row -> seen.put(row.get("id").toString(), (Long) row.get("version")));
    return seen;
  }

  private interface Answering {
    Way.Read read(Request request);
  }

  private static Way way(Answering answering) {
    return new Way() {
      @Override
      public WayKind kind() {
        return WayKind.ANSWERS;
      }

      @Override
      public Way.Read read(Request request) {
        return answering.read(request);
      }

      @Override
      public long databaseReads() {
        return 0;
      }

      @Override
      public Optional<Meters.Snapshot> meters() {
        return Optional.empty();
      }

      @Override
      public Map<String, HeldSize> held() {
        return Map.of();
      }

      @Override
      public void close() {}
    };
  }
}
