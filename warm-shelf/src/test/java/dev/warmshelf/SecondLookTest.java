package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.meter.Count;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What a second look at the changes saves, and what it must not. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class SecondLookTest {
  private static final String SCHEMA =
      """
      CREATE COLLATION anycase (provider = icu, locale = 'und-u-ks-level2', deterministic = false);
      CREATE TABLE shop (id int PRIMARY KEY, town text, label text);
      CREATE TABLE item (id int PRIMARY KEY, shop int, kind text, price numeric, stock int,
                         note text, code text COLLATE anycase, stamp point);
      CREATE TABLE loose (shop int, stock int, note text);
      CREATE TABLE stored (id int, place int, bay int, v int) PARTITION BY LIST (place);
      CREATE TABLE stored_low PARTITION OF stored FOR VALUES IN (1) PARTITION BY RANGE ((bay + 1));
      CREATE TABLE stored_low_few PARTITION OF stored_low FOR VALUES FROM (0) TO (10);
      CREATE TABLE stored_low_many PARTITION OF stored_low FOR VALUES FROM (10) TO (99);
      CREATE TABLE stored_high PARTITION OF stored FOR VALUES IN (2, 3);
      CREATE VIEW stored_there AS SELECT id, v FROM stored_high;
      CREATE TABLE beast (id int, name text);
      CREATE TABLE bird (wings int) INHERITS (beast);
      CREATE VIEW cheap AS SELECT id, shop, price FROM item WHERE price < 100;
      """;

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeAll
  void open() throws Exception {
    database =
        TestDatabase.create(
            SCHEMA, List.of("shop:id", "item:shop,kind", "loose:shop", "stored:id", "beast:id"));
    warm =
        database
            .shelf(2)
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.renewing(Renewal.lookingAgain()))
            .open();
  }

  @AfterAll
  void close() {
    warm.close();
  }

  @BeforeEach
  void fill() throws Exception {
    database.run(
        """
        TRUNCATE shop, item, loose, stored, beast;
        INSERT INTO stored SELECT g, 1 + g % 3, g, 10 * g FROM generate_series(1, 12) g;
        INSERT INTO beast SELECT g, 'cat' FROM generate_series(1, 4) g;
        INSERT INTO bird SELECT g, 'owl', 2 FROM generate_series(5, 8) g;
        INSERT INTO shop SELECT g, 'town ' || g % 2, 'shop ' || g FROM generate_series(1, 4) g;
        INSERT INTO item SELECT g, 1 + g % 4, 'kind ' || g % 3, 1.0 * g, g, 'note', 'abc', point(1, 1)
        FROM generate_series(1, 40) g;
        INSERT INTO loose SELECT 1 + g % 4, g, 'note' FROM generate_series(1, 40) g;
        """);
  }

  @Tag("thorough")
  @ParameterizedTest(name = "{0} | {1}")
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        // Columns that the statement does not read.
        "SELECT sum(stock) FROM item | UPDATE item SET note = 'x' WHERE id = 4 | REVIVED",
        "SELECT sum(stock) FROM item | UPDATE item SET note = 'x' WHERE id < 20 | REVIVED",
        "SELECT sum(stock) FROM item | UPDATE item SET note = 'x', stock = 0 WHERE id = 4 | LOADED",
        "SELECT sum(stock) FROM item | UPDATE item SET note = 'x', stock = id % 2 WHERE id < 9"
            + " | LOADED",
        "SELECT count(*) FROM item | UPDATE item SET note = 'x', stock = 0 WHERE id = 4 | REVIVED",
        "SELECT count(*) FROM item | DELETE FROM item WHERE id = 4 | LOADED",
        "SELECT count(*) FROM item | UPDATE item SET id = 99 WHERE id = 4 | REVIVED",
        "SELECT sum(stock) FROM item | UPDATE item SET id = id + 99 WHERE id < 9 | LOADED",
        "SELECT sum(stock) FROM loose | UPDATE loose SET note = 'x' WHERE stock = 4 | REVIVED",
        "SELECT sum(stock) FROM loose | UPDATE loose SET note = 'x' WHERE stock < 9 | LOADED",
        "SELECT sum(price) FROM cheap | UPDATE item SET stock = 0 WHERE id = 4 | REVIVED",
        "SELECT count(id) FROM cheap | UPDATE item SET price = 200 WHERE id = 4 | LOADED",
        "SELECT i::text FROM item i WHERE id = 4 | UPDATE item SET note = 'x' WHERE id = 4 | LOADED",
        "SELECT count(*) FROM item JOIN shop s USING (id) | UPDATE item SET id = 99 WHERE id = 4"
            + " | LOADED",
        "SELECT count(*) FROM item i NATURAL JOIN loose | UPDATE item SET note = 'x' WHERE id = 4"
            + " | LOADED",
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT FROM item WHERE shop = shop.id"
            + " AND note = 'note') | UPDATE item SET note = 'x' WHERE id = 4 | LOADED",
        // Whether there is any, and not what it is like.
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT * FROM item WHERE shop = shop.id)"
            + " | UPDATE item SET note = 'x' WHERE id = 4 | REVIVED",
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT * FROM item JOIN loose USING (shop))"
            + " | UPDATE item SET note = 'x' WHERE id = 4 | REVIVED",
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT * FROM item NATURAL JOIN loose)"
            + " | UPDATE item SET note = 'x' WHERE id = 4 | LOADED",
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT DISTINCT note FROM item WHERE shop = shop.id)"
            + " | UPDATE item SET note = 'x' WHERE id = 4 | LOADED",
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT * FROM (SELECT note FROM item) i WHERE note = 'note')"
            + " | UPDATE item SET note = 'x' WHERE id = 4 | LOADED",
        "SELECT min(label) FROM shop WHERE EXISTS (SELECT note FROM item WHERE shop = shop.id AND stock > 0)"
            + " | UPDATE item SET stock = 0 WHERE id = 4 | LOADED",
        "SELECT id FROM item ORDER BY note, id LIMIT 3 | UPDATE item SET note = 'a' WHERE id = 4"
            + " | LOADED",
        // Values that equality does not tell apart.
        "SELECT price FROM item WHERE id = 4 | UPDATE item SET price = 4.000 WHERE id = 4 | LOADED",
        "SELECT code FROM item WHERE id = 4 | UPDATE item SET code = 'ABC' WHERE id = 4 | LOADED",
        "SELECT count(code) FROM item | UPDATE item SET stamp = point(2, 1) WHERE id = 4 | REVIVED",
        "SELECT stamp[0] FROM item WHERE id = 4 | UPDATE item SET stamp = point(2, 1) WHERE id = 4"
            + " | LOADED",
        "SELECT stock FROM item WHERE id = 4 | UPDATE item SET note = repeat('x', 9000) WHERE id = 4"
            + " | REVIVED",
        "SELECT note FROM item WHERE id = 4 | UPDATE item SET note = repeat('x', 9000) WHERE id = 4"
            + " | LOADED",
        "SELECT note FROM item WHERE id = 4 | UPDATE item SET note = NULL WHERE id = 4 | LOADED",
        "SELECT note FROM item WHERE id = 4 | UPDATE item SET note = note WHERE id = 4 | REVIVED",
        // Rows that meet no more than some of the conditions.
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | INSERT INTO item VALUES (90, 1, 'kind 2', 1, 1) | REVIVED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | INSERT INTO item VALUES (90, 2, 'kind 1', 1, 1), (91, 1, 'kind 2', 1, 1) | REVIVED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | INSERT INTO item VALUES (90, 1, NULL, 1, 1) | REVIVED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | INSERT INTO item VALUES (90, 2, 'kind 1', 1, 1), (91, 1, 'kind 1', 1, 1) | LOADED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | UPDATE item SET kind = 'kind 1' WHERE id = 12 | LOADED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | UPDATE item SET kind = 'kind 9' WHERE id = 4 | LOADED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1' OR shop = 1 AND kind = 'z'"
            + " | INSERT INTO item VALUES (90, 1, 'z', 1, 1) | LOADED",
        "SELECT count(*) FROM item a, item b WHERE a.shop = 1 AND a.kind = 'kind 1' AND b.shop = 1"
            + " AND b.kind = 'kind 2' | INSERT INTO item VALUES (90, 1, 'kind 0', 1, 1) | REVIVED",
        "SELECT count(*) FROM item a, item b WHERE a.shop = 1 AND a.kind = 'kind 1' AND b.shop = 1"
            + " AND b.kind = 'kind 2' | INSERT INTO item VALUES (90, 1, 'kind 2', 1, 1) | LOADED",
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1' | TRUNCATE item | LOADED",
        // Rows that belong to no row of the answer.
        "SELECT s.id, sum(i.stock) FROM shop s LEFT JOIN item i ON i.shop = s.id AND i.kind = 'kind 1'"
            + " WHERE s.town = 'town 1' GROUP BY s.id"
            + " | INSERT INTO item VALUES (90, 1, 'kind 2', 1, 1) | KEPT",
        "SELECT s.id, sum(i.stock) FROM shop s LEFT JOIN item i ON i.shop = s.id AND i.kind = 'kind 1'"
            + " WHERE s.town = 'town 1' GROUP BY s.id"
            + " | INSERT INTO item VALUES (90, 2, 'kind 1', 1, 1) | REVIVED",
        "SELECT s.id, sum(i.stock) FROM shop s LEFT JOIN item i ON i.shop = s.id AND i.kind = 'kind 1'"
            + " WHERE s.town = 'town 1' GROUP BY s.id"
            + " | INSERT INTO item VALUES (90, 1, 'kind 1', 1, 1) | LOADED",
        "SELECT s.id, sum(i.stock) FROM shop s LEFT JOIN item i ON i.shop = s.id"
            + " WHERE s.town = 'town 1' GROUP BY s.id | UPDATE shop SET town = 'town 1' | LOADED",
        // Rows that do not stand in the answer, and are not made to.
        "SELECT s.id, s.label FROM shop s JOIN item i ON i.shop = s.id AND i.id = 4"
            + " | UPDATE shop SET label = 'x' WHERE id = 3 | REVIVED",
        "SELECT s.id, s.label FROM shop s JOIN item i ON i.shop = s.id AND i.id = 4"
            + " | UPDATE shop SET label = 'x' WHERE id = 1 | LOADED",
        "SELECT s.id, s.label FROM shop s JOIN item i ON i.shop = s.id AND i.id = 4"
            + " | UPDATE shop SET id = 50 WHERE id = 3 | LOADED",
        "SELECT s.id, s.label FROM shop s JOIN item i ON i.shop = s.id AND i.id = 4"
            + " | DELETE FROM shop WHERE id = 3 | LOADED",
        "SELECT s.id, s.label FROM shop s WHERE town = 'town 1'"
            + " | UPDATE shop SET label = 'x' WHERE id = 2; UPDATE shop SET town = 'town 1' WHERE id = 2"
            + " | LOADED",
        "SELECT s.id, s.label FROM shop s WHERE town = 'town 1' | UPDATE shop SET label = 'x' WHERE id = 2"
            + " | REVIVED",
        "SELECT id AS a, label FROM shop WHERE town = 'town 1' | UPDATE shop SET label = 'x' WHERE id = 2"
            + " | REVIVED",
        "SELECT s.id, max(s.label) FROM shop s WHERE town = 'town 1' GROUP BY s.id"
            + " | UPDATE shop SET label = 'x' WHERE id = 2 | REVIVED",
        "SELECT max(s.id) AS id, max(s.label) FROM shop s WHERE town = 'town 1'"
            + " | UPDATE shop SET label = 'x' WHERE id = 2 | LOADED",
        "SELECT s.id, max(s.label) FROM shop s WHERE town = 'town 1' GROUP BY s.id HAVING count(*) > 0"
            + " | UPDATE shop SET label = 'x' WHERE id = 2 | LOADED",
        "SELECT s.id, s.label, i.id AS item FROM item i LEFT JOIN shop s ON s.id = i.shop AND s.town = 'town 1'"
            + " | UPDATE shop SET label = 'x' WHERE id = 2 | LOADED",
        "SELECT s.id, s.label FROM shop s WHERE s::text LIKE '%1%' | UPDATE shop SET label = 'x1' WHERE id = 2"
            + " | LOADED",
        // A partition by its own name: its rows are those that its key puts there.
        "SELECT id, v FROM stored_high ORDER BY id | UPDATE stored SET place = 1 WHERE id = 1 | LOADED",
        "SELECT id, v FROM stored_high ORDER BY id | UPDATE stored SET place = 2 WHERE id = 3 | LOADED",
        "SELECT count(*) FROM stored_high | UPDATE stored SET place = 1 WHERE place = 2 | LOADED",
        "SELECT id, v FROM stored_there ORDER BY id | UPDATE stored SET place = 1 WHERE id = 1 | LOADED",
        "SELECT id, v FROM stored_low_few ORDER BY id | UPDATE stored SET bay = 20 WHERE id = 3 | LOADED",
        "SELECT id, v FROM stored_low_few ORDER BY id | UPDATE stored_low SET bay = 20 WHERE id = 3 | LOADED",
        "SELECT id, v FROM stored_high ORDER BY id | UPDATE stored SET bay = 20 WHERE id = 3 | REVIVED",
        "SELECT id, v FROM stored ORDER BY id | UPDATE stored SET place = 1 WHERE id = 1 | REVIVED",
        "SELECT count(*) FROM stored WHERE v > 30 | UPDATE stored SET place = 1 WHERE id = 1 | REVIVED",
        // A child by its own name.
        "SELECT id, wings FROM bird ORDER BY id | UPDATE beast SET name = 'hen' WHERE id = 5 | LOADED",
        "SELECT id FROM bird ORDER BY id | UPDATE beast SET name = 'hen' WHERE id = 5 | REVIVED",
        "SELECT id, wings FROM bird ORDER BY id | UPDATE bird SET wings = 4 WHERE id = 5 | LOADED",
        "SELECT count(*) FROM ONLY beast | UPDATE beast SET name = 'x' WHERE id = 5 | REVIVED",
        "SELECT id, name FROM ONLY beast ORDER BY id | INSERT INTO bird VALUES (9, 'x', 2) | LOADED",
        // Several changes, of which one counts.
        "SELECT sum(stock) FROM item WHERE shop = 1 AND kind = 'kind 1'"
            + " | UPDATE item SET note = 'x'; INSERT INTO item VALUES (90, 1, 'kind 1', 1, 1);"
            + " UPDATE item SET code = 'x' | LOADED",
      })
  void whatIsServedIsTheDatabases(String sql, String change, Origin expected) throws Exception {
    Question<Map<String, Object>> question = warm.query(sql).asMaps().question();
    Waiting.untilDelivered(warm);
    question.list();
    assertThat(question.list().origin()).isEqualTo(Origin.KEPT);
    database.run(change);
    Waiting.untilDelivered(warm);
    Reading<List<Map<String, Object>>> reading = question.list();
    assertThat(reading.origin()).isEqualTo(expected);
    assertThat(question.list().origin()).isEqualTo(Origin.KEPT);
    question.clear();
    assertThat(reading.value()).isEqualTo(question.list().value());
  }

  @Test
  void aRevivedHitIsCountedAsOne() throws Exception {
    Question<Long> question = warm.query("SELECT sum(stock) FROM item").as(Long.class).question();
    Waiting.untilDelivered(warm);
    question.only();
    long before = revived();
    database.run("UPDATE item SET note = 'x' WHERE id = 4");
    Waiting.untilDelivered(warm);
    Reading<Long> reading = question.only();
    assertThat(reading.origin()).isEqualTo(Origin.REVIVED);
    assertThat(reading.freshAsOf()).isNotNull();
    assertThat(revived()).isEqualTo(before + 1);
    question.clear();
    assertThat(question.only().origin()).isEqualTo(Origin.LOADED);
    assertThat(revived()).isEqualTo(before + 1);
  }

  private long revived() {
    return warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot().get(Count.REVIVED);
  }
}
