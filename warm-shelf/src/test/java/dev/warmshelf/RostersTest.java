package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** Kept rosters tell that a change cannot reach an answer. */
class RostersTest {
  private static final String SCHEMA =
      """
      CREATE TABLE shop (id int PRIMARY KEY, town int, label text);
      CREATE TABLE item (id int PRIMARY KEY, shop int, stock int);
      INSERT INTO shop SELECT g, 1 + g % 3, 'shop ' || g FROM generate_series(1, 12) g;
      INSERT INTO item SELECT g, 1 + g % 12, g FROM generate_series(1, 40) g;
      """;

  /** Shops 3, 6, 9 and 12. */
  private static final String OF_TOWN =
      "SELECT sum(i.stock) AS stock FROM shop s JOIN item i ON i.shop = s.id WHERE s.town = 1";

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create(SCHEMA, List.of("shop:id,town", "item:shop"));
    warm =
        WarmShelf.over(database.dataSource())
            .following( // which looks when it is hurried only
                JournalFeed.on(database.dataSource()).polling(Duration.ofHours(1)))
            .shelf(WarmShelf.MAIN_SHELF, RostersTest::mendingAll)
            .open();
    deliver();
  }

  private static Policy mendingAll(Policy policy) {
    return policy.renewing(Renewal.mendingFrom(Duration.ZERO)).tolerating(Duration.ofHours(9));
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private void deliver() {
    assertThat(warm.engine().ownWrites().learned()).isTrue();
  }

  private Reading<List<Map<String, Object>>> ask() throws Exception {
    return warm.query(OF_TOWN).asMaps().question().list();
  }

  /** The first look asks for the roster, which says too much by then; later ones ask nobody. */
  @Test
  void onceItIsKeptNothingIsAsked() throws Exception {
    ask();
    database.run("INSERT INTO item VALUES (90, 4, 7)");
    deliver();
    assertThat(ask().origin()).as("probed").isEqualTo(Origin.MENDED);
    long asked = misses();
    for (int i = 91; i < 95; i++) {
      database.run("INSERT INTO item VALUES (" + i + ", 4, 7)");
      database.run("UPDATE shop SET label = 'x' WHERE id = 4");
      deliver();
      assertThat(ask().origin()).isEqualTo(Origin.REVIVED);
    }
    assertThat(misses()).isEqualTo(asked);
    assertTrue(ask());
  }

  private long misses() {
    Meters.Snapshot main = warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot();
    return main.get(Count.MISSES) + warm.rosterMeters().get(Count.MISSES);
  }

  @Test
  void whatIsOnItReachesTheAnswer() throws Exception {
    ask();
    for (String change :
        List.of(
            "INSERT INTO item VALUES (90, 4, 7)",
            "INSERT INTO item VALUES (91, 3, 7)",
            "UPDATE item SET shop = 3 WHERE shop = 4",
            "UPDATE item SET shop = 4 WHERE shop = 3",
            "UPDATE shop SET town = 1 WHERE id = 4",
            "INSERT INTO item VALUES (92, 4, 7)",
            "UPDATE shop SET town = 2 WHERE id = 4; INSERT INTO item VALUES (93, 4, 7)",
            "DELETE FROM item WHERE shop = 3; DELETE FROM shop WHERE id = 3")) {
      database.run(change);
      deliver();
      assertTrue(ask());
    }
  }

  private void assertTrue(Reading<List<Map<String, Object>>> reading) throws Exception {
    warm.shelf(WarmShelf.MAIN_SHELF).clear();
    assertThat(reading.value()).isEqualTo(ask().value());
  }

  /**
   * An item came to a shop, which has left the town since; of that the feed has not told. The
   * roster, if it is read now, has the shop no more: by it the answer would stand that has the
   * shop, and not the item.
   */
  @Test
  void aRosterThatSaysMoreThanTheFeedIsNotBelieved() throws Exception {
    Reading<List<Map<String, Object>>> before = ask();
    database.run("INSERT INTO item VALUES (90, 3, 500)");
    deliver();
    database.run("UPDATE shop SET town = 2 WHERE id = 3");
    Reading<List<Map<String, Object>>> reading = ask();
    assertThat(reading.origin()).isEqualTo(Origin.LOADED);
    assertThat(reading.value()).isNotEqualTo(before.value());
    assertTrue(reading);
  }

  @Test
  void oneThatIsTooLongTellsNothing() throws Exception {
    database.run("INSERT INTO shop SELECT g, 1, 'many' FROM generate_series(100, 1200) g");
    deliver();
    ask();
    for (int i = 90; i < 93; i++) {
      database.run("INSERT INTO item VALUES (" + i + ", 4, 7)");
      deliver();
      Reading<List<Map<String, Object>>> reading = ask();
      assertThat(reading.origin()).as("probed").isEqualTo(Origin.MENDED);
      assertTrue(reading);
    }
  }

  @Test
  void itsShelfIsTheLibrarys() {
    WarmShelf.Builder builder = WarmShelf.over(database.postgres());
    assertThatThrownBy(() -> builder.shelf("rosters", policy -> policy))
        .isInstanceOf(IllegalArgumentException.class)
        .hasMessageContaining("the library's own");
  }
}
