package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.shelf.read.HeldSize;
import dev.warmshelf.shelf.read.Recorder;
import dev.warmshelf.store.Content;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

/** What a recorder is told of questions. */
class RecorderTest implements Recorder {
  private static TestDatabase database;

  private final List<Told> told = new ArrayList<>();

  private final List<Change> changed = Collections.synchronizedList(new ArrayList<>());

  private record Told(
      String shelf, Key key, AskedQuestion words, Origin outcome, long loadNanos, Object answer) {}

  @BeforeAll
  static void create() throws Exception {
    database = TestDatabase.create();
    Journal.on(database.dataSource()).install(SkerryLine.FOLLOWED);
  }

  @Override
  public void asked(
      String shelf,
      Key key,
      AskedQuestion words,
      Origin outcome,
      long loadNanos,
      Object answer,
      Footprint footprint) {
    boolean isKept = outcome == Origin.LOADED || outcome == Origin.KEPT;
    assertThat(footprint).matches(known -> (known != null && known.size() > 0) == isKept);
    told.add(new Told(shelf, key, words, outcome, loadNanos, answer));
  }

  @Override
  public void changed(List<Change> changes) {
    changed.addAll(changes);
  }

  @Test
  void whatChangesIsToldUntilNobodyListens() throws Exception {
    try (WarmShelf warm = database.shelf(5).open()) {
      warm.recordTo(this);
      database.run("UPDATE port SET name = name WHERE id = 1");
      Waiting.until("the change is told", () -> !changed.isEmpty());
      assertThat(changed).extracting(Change::table).containsOnly(Lane.ofTable("public", "port"));
      int before = changed.size();
      warm.recordTo(null);
      database.run("UPDATE port SET name = name WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(changed).hasSize(before);
    }
  }

  @Test
  void everyQuestionIsToldWithItsWordsAndWhatCameOfIt() throws Exception {
    String sql = "SELECT id, name FROM port WHERE island = :island ORDER BY id";
    try (WarmShelf warm =
        WarmShelf.over(database.dataSource())
            .following(JournalFeed.on(database.dataSource()))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.tolerating(Duration.ofHours(1)))
            .open()) {
      ShelvedQuery<Map<String, Object>> ports = warm.query(sql).asMaps();
      warm.recordTo(this);
      Question<Map<String, Object>> question = ports.with("island", "Norra");
      int rows = question.list().value().size();
      question.list();
      question.with("island", "Sundra").list(); // does not change what was told before
      warm.query("SELECT random() AS r").asMaps().list();
      warm.recordTo(null);
      question.list();

      assertThat(told)
          .extracting(Told::outcome)
          .containsExactly(Origin.LOADED, Origin.KEPT, Origin.LOADED, Origin.DIRECT);
      assertThat(told)
          .extracting(each -> each.words().values())
          .containsExactly(List.of("Norra"), List.of("Norra"), List.of("Sundra"), List.of());
      assertThat(told.get(0).words().text()).isEqualTo(sql);
      assertThat(told.get(0).key()).isEqualTo(told.get(1).key()).isNotEqualTo(told.get(2).key());
      assertThat(told).allSatisfy(each -> assertThat(each.loadNanos()).isPositive());
      Content content = (Content) told.get(1).answer();
      assertThat(content.rows()).isEqualTo(rows);
      assertThat(content.bytes()).isGreaterThan(rows * 20L);
      assertThat(content.fingerprint())
          .isNotEqualTo(((Content) told.get(2).answer()).fingerprint());
      HeldSize held =
          AnswerShelf.of(warm.shelf(WarmShelf.MAIN_SHELF)).held().get(told.get(0).key().form());
      assertThat(held.entries()).isEqualTo(2);
      assertThat(held.bytes()).isGreaterThan(content.bytes());
    }
  }

  @Test
  void aRecorderThatFailsBreaksNoReadAndIsToldNoMore() throws Exception {
    int[] calls = {0};
    try (WarmShelf warm = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      warm.recordTo(
          (shelf, key, words, outcome, loadNanos, answer, footprint) -> {
            calls[0]++;
            throw new IllegalStateException("a planted fault");
          });
      ShelvedQuery<Integer> one = warm.query("SELECT 1").as(Integer.class);
      assertThat(one.only().origin()).isEqualTo(Origin.LOADED);
      assertThat(one.only().origin()).isEqualTo(Origin.KEPT);
    }
    assertThat(calls[0]).isEqualTo(1);
  }

  @Test
  void bytesInMapsAreEachCallersOwn() throws Exception {
    try (WarmShelf warm = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      ShelvedQuery<Map<String, Object>> query = warm.query("SELECT '\\x0102'::bytea AS b").asMaps();
      ((byte[]) query.list().value().get(0).get("b"))[0] = 9;
      assertThat(query.list().origin()).isEqualTo(Origin.KEPT);
      assertThat((byte[]) query.list().value().get(0).get("b")).containsExactly(1, 2);
    }
  }

  @Test
  void fingerprintsDoNotMindTheOrderOfRows() throws Exception {
    try (WarmShelf warm = WarmShelf.over(database.dataSource()).onTtlAlone().open()) {
      warm.recordTo(this);
      warm.query("SELECT id, name FROM port ORDER BY id").asMaps().list();
      warm.query("SELECT id, name FROM port ORDER BY id DESC").asMaps().list();
      warm.query("SELECT id, name FROM port WHERE id > 1 ORDER BY id DESC").asMaps().list();
    }
    List<Long> fingerprints =
        told.stream().map(each -> ((Content) each.answer()).fingerprint()).toList();
    assertThat(fingerprints.get(0)).isEqualTo(fingerprints.get(1));
    assertThat(fingerprints.get(0)).isNotEqualTo(fingerprints.get(2));
  }
}
