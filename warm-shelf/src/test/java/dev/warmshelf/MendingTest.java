package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.mockito.AdditionalAnswers.delegatesTo;
import static org.mockito.Mockito.doAnswer;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.spy;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import java.sql.Connection;
import java.time.Duration;
import java.util.ArrayList;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.atomic.AtomicReference;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.postgresql.ds.PGSimpleDataSource;

/** What has changed of an answer is asked for, and takes its place in it. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class MendingTest {
  private static final int ROUNDS = Integer.getInteger("mending.rounds", 9);

  private static final String SCHEMA =
      """
      CREATE TABLE town (id int PRIMARY KEY, name text);
      CREATE TABLE shop (id int PRIMARY KEY, town int, opens date, rank numeric, label text);
      CREATE TABLE item (id int PRIMARY KEY, shop bigint, kind text, stock int);
      CREATE TABLE stay (id int PRIMARY KEY, day date, n int);
      CREATE FUNCTION backwards(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 > $2;
      CREATE FUNCTION forwards(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 < $2;
      CREATE FUNCTION not_forwards(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 >= $2;
      CREATE FUNCTION not_backwards(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 <= $2;
      CREATE FUNCTION alike(int, int) RETURNS bool IMMUTABLE LANGUAGE sql RETURN $1 = $2;
      CREATE FUNCTION compared(int, int) RETURNS int IMMUTABLE LANGUAGE sql RETURN sign($2 - $1)::int;
      CREATE SCHEMA upside;
      CREATE OPERATOR upside.< (LEFTARG = int, RIGHTARG = int, FUNCTION = backwards, COMMUTATOR = OPERATOR(upside.>));
      CREATE OPERATOR upside.> (LEFTARG = int, RIGHTARG = int, FUNCTION = forwards);
      CREATE OPERATOR upside.<= (LEFTARG = int, RIGHTARG = int, FUNCTION = not_forwards);
      CREATE OPERATOR upside.>= (LEFTARG = int, RIGHTARG = int, FUNCTION = not_backwards);
      CREATE OPERATOR upside.= (LEFTARG = int, RIGHTARG = int, FUNCTION = alike, COMMUTATOR = OPERATOR(upside.=));
      CREATE OPERATOR CLASS upside.down FOR TYPE int USING btree AS OPERATOR 1 upside.<,
        OPERATOR 2 upside.<=, OPERATOR 3 upside.=, OPERATOR 4 upside.>=, OPERATOR 5 upside.>,
        FUNCTION 1 compared(int, int);
      """;

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeAll
  void open() throws Exception {
    database =
        TestDatabase.create(SCHEMA, List.of("town", "shop:id,town", "item:shop,id", "stay:day,id"));
    warm = database.shelf(2).shelf(WarmShelf.MAIN_SHELF, MendingTest::mendingAll).open();
  }

  @AfterAll
  void close() {
    warm.close();
  }

  @BeforeEach
  void fill() throws Exception {
    database.run(
        """
        TRUNCATE town, shop, item, stay;
        INSERT INTO stay SELECT g, date '2026-05-01' + g % 5, g FROM generate_series(1, 20) g;
        INSERT INTO town SELECT g, 'town ' || g FROM generate_series(1, 3) g;
        INSERT INTO shop SELECT g, 1 + g % 3, date '2026-05-01' + g % 4, g % 3, 'shop ' || g
        FROM generate_series(1, 12) g;
        INSERT INTO item SELECT g, 1 + g % 12, 'kind ' || g % 3, g FROM generate_series(1, 40) g;
        """);
    Waiting.untilDelivered(warm);
  }

  /** Shops of a town with what they have, by the day on which they open. */
  private static final String SHOPS =
      "SELECT s.opens, s.id, s.label, sum(i.stock) AS stock FROM shop s"
          + " LEFT JOIN item i ON i.shop = s.id WHERE s.town = 1 GROUP BY s.id"
          + " ORDER BY s.opens DESC NULLS LAST, s.id";

  private static final String PAIRS =
      "SELECT s.id AS shop, i.id, i.stock, t.name FROM shop s JOIN town t ON t.id = s.town"
          + " JOIN item i ON i.shop = s.id WHERE i.kind = 'kind 1' ORDER BY i.stock, i.id";

  /** What an item's own columns do not tell: whether its shop is one of the town's. */
  private static final String OF_TOWN =
      "SELECT count(*), sum(i.stock) FROM shop s LEFT JOIN LATERAL (SELECT sum(n.stock) AS stock"
          + " FROM item n WHERE n.shop = s.id) i ON true WHERE s.town = 1";

  private static final String BY_KIND =
      "SELECT i.kind, sum(i.stock) FROM item i JOIN shop s ON s.id = i.shop"
          + " JOIN town t ON t.id = s.town WHERE t.name = 'town 1'"
          + " GROUP BY i.kind ORDER BY i.kind";

  private static final String EXISTING =
      "SELECT count(*) FROM shop s WHERE s.town = 1 AND EXISTS"
          + " (SELECT FROM item i WHERE i.shop = s.id)";

  private static final String BY_SHOP =
      "SELECT shop, count(*) FROM item GROUP BY shop ORDER BY shop";

  private static final String BY_DAY = "SELECT day, count(*) FROM stay GROUP BY day ORDER BY day";

  private static final String MISSING =
      "SELECT count(*) FROM shop s WHERE s.town = 1 AND NOT EXISTS"
          + " (SELECT FROM item i WHERE i.shop = s.id)";

  @Tag("thorough")
  @ParameterizedTest(name = "{0} | {1}")
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "SHOPS | UPDATE shop SET label = 'x' WHERE id = 3 | MENDED",
        "SHOPS | UPDATE shop SET opens = opens + 2 WHERE id = 3 | MENDED",
        "SHOPS | UPDATE shop SET opens = NULL WHERE id = 3 | MENDED",
        "SHOPS | UPDATE shop SET town = 2 WHERE id = 3 | MENDED",
        "SHOPS | UPDATE shop SET town = 1 WHERE id = 4 | MENDED",
        "SHOPS | UPDATE shop SET town = 3 WHERE id = 4 | KEPT",
        "SHOPS | UPDATE shop SET id = 99 WHERE id = 3 | MENDED",
        "SHOPS | DELETE FROM shop WHERE town = 1 | LOADED",
        "SHOPS | INSERT INTO shop VALUES (50, 1, '2026-05-02', 1, 'new'), (51, 2, NULL, 1, 'new') | MENDED",
        "SHOPS | INSERT INTO item VALUES (90, 3, 'kind 1', 7) | MENDED",
        "SHOPS | INSERT INTO item VALUES (90, 4, 'kind 1', 7) | KEPT",
        "SHOPS | INSERT INTO item VALUES (90, NULL, 'kind 1', 7) | KEPT",
        "SHOPS | UPDATE item SET shop = 3 WHERE shop = 6 | MENDED",
        "SHOPS | INSERT INTO shop VALUES (50, 1, NULL, 1, 'new'); INSERT INTO item VALUES (90, 50,"
            + " 'kind 1', 7); DELETE FROM shop WHERE id = 3 | MENDED",
        "SHOPS ; -- all of them | UPDATE shop SET label = 'x' WHERE id = 3 | MENDED",
        "SHOPS | TRUNCATE item | LOADED",
        "PAIRS | UPDATE item SET stock = 20 WHERE id = 4 | MENDED",
        "PAIRS | UPDATE item SET kind = 'kind 1' WHERE id IN (5, 6) | MENDED",
        "PAIRS | DELETE FROM item WHERE id = 4 | MENDED",
        "PAIRS | UPDATE shop SET town = 1 + town % 3 WHERE id < 5 | MENDED",
        "PAIRS | UPDATE shop SET town = 9 WHERE id = 5 | MENDED",
        "PAIRS | UPDATE town SET name = 'x' WHERE id = 1 | LOADED",
        // What moves twice is found by its second move, though the answer knows neither place.
        "BY_SHOP | UPDATE item SET shop = 1002 WHERE id = 1; UPDATE item SET shop = 1003 WHERE id = 1 | MENDED",
        "BY_SHOP | BEGIN; UPDATE item SET shop = 1002 WHERE id = 1;"
            + " UPDATE item SET shop = 1003 WHERE id = 1; COMMIT | MENDED",
        "BY_SHOP | UPDATE item SET shop = 1002 WHERE id = 1; UPDATE item SET shop = 1003 WHERE id = 1;"
            + " UPDATE item SET shop = 1004 WHERE id = 1; UPDATE item SET shop = 1 WHERE id = 1 | MENDED",
        "BY_SHOP | INSERT INTO item VALUES (90, 1002, 'kind 1', 7);"
            + " UPDATE item SET shop = 1003 WHERE id = 90 | MENDED",
        "PAIRS | UPDATE item SET kind = 'kind 1', shop = 5 WHERE id = 6;"
            + " UPDATE item SET shop = 8 WHERE id = 6 | MENDED",
        "SHOPS | UPDATE shop SET town = 1 WHERE id = 4; UPDATE shop SET id = 60 WHERE id = 4;"
            + " UPDATE shop SET id = 61 WHERE id = 60 | MENDED",
        // Days of which ISO 8601 has no word, or none of ten characters.
        "BY_DAY | UPDATE stay SET day = 'infinity' WHERE id = 1 | LOADED",
        "BY_DAY | UPDATE stay SET day = '-infinity' WHERE id = 1 | LOADED",
        "BY_DAY | UPDATE stay SET day = '0044-03-15 BC' WHERE id = 1 | LOADED",
        "BY_DAY | UPDATE stay SET day = '0044-03-15' WHERE id = 1 | MENDED",
        "BY_DAY | UPDATE stay SET day = '0001-01-01' WHERE id = 1 | MENDED",
        "BY_DAY | UPDATE stay SET day = '0001-12-31 BC' WHERE id = 1 | LOADED",
        "BY_DAY | UPDATE stay SET day = '9999-12-31' WHERE id = 1 | MENDED",
        "BY_DAY | UPDATE stay SET day = '10000-01-01' WHERE id = 1 | LOADED",
        "BY_DAY | UPDATE stay SET day = '5874897-12-31' WHERE id = 1 | LOADED",
        // An order of somebody's own, by an operator that is called like another one.
        "SELECT id, n FROM stay ORDER BY n USING OPERATOR(upside.<), id | UPDATE stay SET n = 7 WHERE id = 3"
            + " | LOADED",
        "SELECT id, n FROM stay ORDER BY n USING <, id | UPDATE stay SET n = 7 WHERE id = 3 | MENDED",
        // There is no order, or it is not Java's, or the answer does not show it.
        "SELECT id, label FROM shop WHERE town = 1 | UPDATE shop SET label = 'x' WHERE id = 3 | LOADED",
        "SELECT id, label FROM shop ORDER BY label | UPDATE shop SET label = 'x' WHERE id = 3 | LOADED",
        "SELECT id, label, town FROM shop ORDER BY label | UPDATE shop SET town = 9 WHERE id = 3"
            + " | MENDED",
        "SELECT id FROM shop ORDER BY opens, id | UPDATE shop SET opens = opens + 2 WHERE id = 3"
            + " | LOADED",
        // No independent parts.
        "SELECT id, stock FROM item ORDER BY id LIMIT 3 | DELETE FROM item WHERE id = 2 | LOADED",
        "SELECT id, rank() OVER (ORDER BY stock) FROM item | DELETE FROM item WHERE id = 2 | LOADED",
        "SELECT sum(stock) FROM item | DELETE FROM item WHERE id = 2 | LOADED",
        "SELECT kind, sum(stock) FROM item GROUP BY kind | DELETE FROM item WHERE id = 2 | LOADED",
        "SELECT town, count(*) FROM shop GROUP BY town ORDER BY town | DELETE FROM shop WHERE id = 2"
            + " | MENDED",
        "SELECT s.id, (SELECT count(*) FROM item i WHERE i.shop = s.id) FROM shop s"
            + " | DELETE FROM item WHERE id = 2 | LOADED",
        "SELECT i.id, s.id AS shop FROM item i LEFT JOIN shop s ON s.id = i.shop ORDER BY 1"
            + " | DELETE FROM shop WHERE id = 3 | LOADED",
        "SELECT a.id, b.id AS other FROM shop a JOIN shop b ON b.town = a.town ORDER BY 1, 2"
            + " | DELETE FROM shop WHERE id = 3 | LOADED",
        "SELECT a.id, b.label FROM shop a JOIN shop b ON b.id = a.id ORDER BY 1"
            + " | DELETE FROM shop WHERE id = 3 | MENDED",
        "SELECT DISTINCT id, town FROM shop ORDER BY id | DELETE FROM shop WHERE id = 3 | LOADED",
      })
  void aMendedAnswerIsTheDatabases(String query, String change, Origin expected) throws Exception {
    String sql =
        query
            .replace("SHOPS", SHOPS)
            .replace("PAIRS", PAIRS)
            .replace("BY_SHOP", BY_SHOP)
            .replace("BY_DAY", BY_DAY);
    Question<Map<String, Object>> question = warm.query(sql).asMaps().question();
    question.list();
    database.run(change);
    Waiting.untilDelivered(warm);
    Reading<List<Map<String, Object>>> reading = question.list();
    assertThat(reading.origin()).isEqualTo(expected);
    assertThat(question.list().origin()).isEqualTo(Origin.KEPT);
    question.clear();
    Reading<List<Map<String, Object>>> loaded = question.list();
    assertThat(loaded.origin()).isEqualTo(Origin.LOADED);
    assertThat(reading.value()).isEqualTo(loaded.value());
    assertThat(reading.lanes()).isEqualTo(loaded.lanes());
  }

  /**
   * What changed is nowhere in the answer, or it cannot be asked for: MENDED says "not reached".
   */
  @ParameterizedTest(name = "{0} | {1}")
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "OF_TOWN | INSERT INTO item VALUES (90, 1, 'kind 1', 7), (91, 4, NULL, 1) | MENDED",
        "OF_TOWN | INSERT INTO item VALUES (90, 3, 'kind 1', 7) | LOADED",
        "OF_TOWN | UPDATE item SET shop = 4 WHERE shop = 3 | LOADED",
        "OF_TOWN | UPDATE item SET shop = 3 WHERE shop = 4 | LOADED",
        "OF_TOWN | UPDATE item SET shop = NULL WHERE shop = 4 | MENDED",
        "OF_TOWN | INSERT INTO item VALUES (90, 99, 'kind 1', 7) | MENDED",
        "OF_TOWN | INSERT INTO item VALUES (90, 4, 'kind 1', 7); UPDATE shop SET label = 'x' WHERE id = 3"
            + " | MENDED",
        "OF_TOWN | UPDATE item SET shop = 4 WHERE shop = 3; UPDATE shop SET town = 2 WHERE id = 3"
            + " | LOADED",
        "OF_TOWN | INSERT INTO shop VALUES (50, 1, NULL, 1, 'new'); INSERT INTO item VALUES (90, 50,"
            + " 'kind 1', 7) | LOADED",
        // Each side of a tie would say of the other's rows that they reach nothing.
        "SELECT sum(i.stock) FROM item i JOIN shop s ON s.id = i.shop WHERE i.kind = 'kind 0'"
            + " AND s.town = 1 | DELETE FROM item WHERE shop = 3; DELETE FROM shop WHERE id = 3"
            + " | LOADED",
        "BY_KIND | INSERT INTO item VALUES (90, 4, 'kind 1', 7) | MENDED",
        "BY_KIND | INSERT INTO item VALUES (90, 3, 'kind 1', 7) | LOADED",
        "BY_KIND | UPDATE shop SET town = 3 WHERE id = 7 | MENDED",
        "BY_KIND | UPDATE shop SET town = 1 WHERE id = 7 | LOADED",
        "BY_KIND | UPDATE town SET name = 'x' WHERE id = 1 | LOADED",
        "EXISTING | INSERT INTO item VALUES (90, 4, 'kind 1', 7) | MENDED",
        "EXISTING | DELETE FROM item WHERE shop = 3 | LOADED",
        "MISSING | DELETE FROM item WHERE shop = 4 | MENDED",
        "MISSING | DELETE FROM item WHERE shop = 3 | LOADED",
        // Nothing pins the other table, it is of the same rows, or it may be read twice.
        "SELECT sum(i.stock) FROM item i JOIN shop s ON s.id = i.shop"
            + " | INSERT INTO item VALUES (90, 4, 'kind 1', 7) | LOADED",
        "SELECT sum(a.stock) FROM item a JOIN item b ON b.id = a.shop WHERE b.kind = 'kind 1'"
            + " | INSERT INTO item VALUES (90, 50, 'kind 2', 7) | LOADED",
        "SELECT sum(i.stock) FROM item i JOIN shop s ON s.id = i.shop AND s.town = 1, (SELECT count(*) AS c"
            + " FROM item) AS n | INSERT INTO item VALUES (90, 4, 'kind 1', 7) | LOADED",
        "SELECT sum(i.stock) FROM item i LEFT JOIN shop s ON s.id = i.shop AND s.town = 1"
            + " | INSERT INTO item VALUES (90, 4, 'kind 1', 7) | LOADED",
      })
  void whatAProbeDoesNotFindChangesNothing(String query, String change, Origin expected)
      throws Exception {
    String sql =
        Map.of("OF_TOWN", OF_TOWN, "BY_KIND", BY_KIND, "EXISTING", EXISTING, "MISSING", MISSING)
            .getOrDefault(query, query);
    long probed = count(warm, Count.PROBED);
    aMendedAnswerIsTheDatabases(sql, change, expected);
    assertThat(count(warm, Count.PROBED) - probed).isEqualTo(expected == Origin.MENDED ? 1 : 0);
  }

  private static long count(WarmShelf of, Count what) {
    return of.shelf(WarmShelf.MAIN_SHELF).meters().snapshot().get(what);
  }

  /**
   * While the probe is asked, what it looks for goes, after it was there at the time of the change.
   */
  @Test
  void aProbeIsOfOneMoment() throws Exception {
    AtomicReference<String> next = new AtomicReference<>("");
    try (WarmShelf watched = disturbed("SELECT EXISTS", next)) {
      Question<Map<String, Object>> question = watched.query(OF_TOWN).asMaps().question();
      Waiting.untilDelivered(watched);
      question.list();
      database.run("INSERT INTO item VALUES (90, 3, 'kind 1', 500)");
      Waiting.untilDelivered(watched);
      next.set("UPDATE shop SET town = 2 WHERE id = 3");
      Reading<List<Map<String, Object>>> reading = question.list();
      assertThat(next.get()).as("a probe was asked").isEmpty();
      assertThat(reading.origin()).isEqualTo(Origin.LOADED);
      assertThat(count(watched, Count.UNMENDED)).isEqualTo(1);
      question.clear();
      assertThat(reading.value()).isEqualTo(question.list().value());
    }
  }

  @Test
  void whateverChangesMendedAnswersAreTheDatabases() throws Exception {
    SplittableRandom random = new SplittableRandom(Long.getLong("mending.seed", 1));
    List<Question<Map<String, Object>>> questions = new ArrayList<>();
    for (String sql :
        List.of(
            SHOPS,
            PAIRS,
            OF_TOWN,
            BY_KIND,
            EXISTING,
            MISSING,
            "SELECT id, town, opens, rank FROM shop ORDER BY rank DESC, opens NULLS FIRST, id",
            "SELECT town, count(*) AS shops FROM shop GROUP BY town ORDER BY town",
            "SELECT i.id, i.stock, s.label FROM item i LEFT JOIN shop s ON s.id = i.shop"
                + " ORDER BY i.stock DESC, i.id",
            "SELECT s.id, count(i.id) AS items, max(t.name) AS town FROM item i"
                + " RIGHT JOIN shop s ON s.id = i.shop LEFT JOIN town t ON t.id = s.town"
                + " GROUP BY s.id ORDER BY s.id DESC")) {
      questions.add(warm.query(sql).asMaps().question());
    }
    Map<Origin, Integer> origins = new EnumMap<>(Origin.class);
    for (int round = 0; round < ROUNDS; round++) {
      for (int changes = random.nextInt(1, 4); changes > 0; changes--) {
        database.run(change(random, round * 10 + changes));
      }
      Waiting.untilDelivered(warm);
      for (Question<Map<String, Object>> question : questions) {
        Reading<List<Map<String, Object>>> reading = question.list();
        origins.merge(reading.origin(), 1, Integer::sum);
        assertThat(question.list().value()).isEqualTo(reading.value());
        question.clear();
        assertThat(reading.value()).isEqualTo(question.list().value());
      }
    }
    System.out.println("mending: " + origins);
    assertThat(origins.get(Origin.MENDED)).isGreaterThan(ROUNDS);
  }

  /**
   * Between a change and the asking for its part, somebody takes from that part what they give to
   * another one. The part that was asked for has it; the other, which was not, has not.
   */
  @Test
  void aMendedAnswerIsOfOneMoment() throws Exception {
    AtomicReference<String> next = new AtomicReference<>("");
    try (WarmShelf watched = disturbed("SELECT * FROM (", next)) {
      Question<Map<String, Object>> question =
          watched
              .query(
                  "SELECT s.id, sum(i.stock) AS stock FROM shop s JOIN item i ON i.shop = s.id"
                      + " GROUP BY s.id ORDER BY s.id")
              .asMaps()
              .question();
      Waiting.untilDelivered(watched);
      long all = stock(question.list().value());
      database.run("UPDATE item SET stock = stock + 5 WHERE id = 7");
      Waiting.untilDelivered(watched);
      next.set(
          "BEGIN; UPDATE item SET stock = stock - 3 WHERE id = 7;"
              + " UPDATE item SET stock = stock + 3 WHERE id = 8; COMMIT");
      Reading<List<Map<String, Object>>> reading = question.list();
      assertThat(next.get()).as("a part was asked for").isEmpty();
      assertThat(stock(reading.value())).isEqualTo(all + 5);
      assertThat(reading.origin()).isEqualTo(Origin.LOADED);
    }
  }

  /** A shelf before whose questions that begin so another program runs a statement, once. */
  private WarmShelf disturbed(String beginning, AtomicReference<String> next) throws Exception {
    PGSimpleDataSource source = spy(database.postgres());
    doAnswer(call -> asking((Connection) call.callRealMethod(), beginning, next))
        .when(source)
        .getConnection();
    return WarmShelf.over(source)
        .following(JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(250)))
        .shelf(WarmShelf.MAIN_SHELF, MendingTest::mendingAll)
        .open();
  }

  /** A connection that, before such a text is asked, has another program run a statement, once. */
  private Connection asking(Connection real, String beginning, AtomicReference<String> next) {
    return mock(
        Connection.class,
        call -> {
          boolean part =
              call.getMethod().getName().equals("prepareStatement")
                  && call.<String>getArgument(0).startsWith(beginning);
          String sql = part ? next.getAndSet("") : "";
          if (!sql.isEmpty()) {
            database.run(sql);
          }
          return delegatesTo(real).answer(call);
        });
  }

  private static Policy mendingAll(Policy policy) {
    return policy.renewing(Renewal.mendingFrom(Duration.ZERO));
  }

  private static long stock(List<Map<String, Object>> rows) {
    return rows.stream().mapToLong(row -> (Long) row.get("stock")).sum();
  }

  private static String change(SplittableRandom random, int fresh) {
    int shop = random.nextInt(1, 14);
    int item = random.nextInt(1, 45);
    return switch (random.nextInt(10)) {
      case 0 -> "UPDATE shop SET town = " + random.nextInt(1, 5) + " WHERE id = " + shop;
      case 1 -> "UPDATE shop SET opens = opens + " + random.nextInt(-2, 3) + " WHERE id = " + shop;
      case 2 -> "UPDATE shop SET opens = NULL, rank = rank + 0.50 WHERE id = " + shop;
      case 3 -> "DELETE FROM shop WHERE id = " + shop;
      case 4 ->
          "INSERT INTO shop VALUES (%d, %d, '2026-05-02', 1, 'new') ON CONFLICT (id) DO UPDATE SET"
                  .formatted(shop, random.nextInt(1, 4))
              + " label = shop.label || '!', rank = 1.0";
      case 5 -> "UPDATE item SET shop = " + shop + " WHERE id = " + item;
      case 6 -> "UPDATE item SET stock = stock + 3 WHERE shop = " + shop;
      case 7 -> "DELETE FROM item WHERE id = " + item;
      case 8 ->
          "INSERT INTO item VALUES (%d, %d, 'kind 1', %d)".formatted(1_000 + fresh, shop, item);
      default -> "UPDATE item SET kind = 'kind " + random.nextInt(3) + "' WHERE id = " + item;
    };
  }
}
