package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.journal.Journal;
import dev.warmshelf.scenario.Questions;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.math.BigDecimal;
import java.time.Duration;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Lanes by value and from the answer, on a real PostgreSQL. */
class ValueLanesTest {
  record Sold(long bookings, BigDecimal metres) {}

  record Departure(int id, long version, long revision, BigDecimal metresLeft) {}

  private static final int ROUNDS = 20;
  private static final String SOLD =
      "SELECT count(*) AS bookings, sum(b.metres) AS metres FROM booking b WHERE b.agent_id = :agent";

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm = database.shelf(2).open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  @Test
  void oneAgentsFiguresHoldWhileAnotherSells() throws Exception {
    ShelvedQuery<Sold> sold = warm.query(SOLD).as(Sold.class);
    sold.with("agent", 7).only();
    sold.with("agent", 8).only();
    book(1, 8);
    assertThat(sold.with("agent", 7).only().origin()).isEqualTo(Origin.KEPT);
    assertThat(sold.with("agent", 8).only().origin()).isEqualTo(Origin.LOADED);
    assertThat(sold.with("agent", 7).only().lanes().toString())
        .isEqualTo("[public.booking at large, public.booking.agent_id=7]");
  }

  @Test
  void aRowThatMovesToAnotherGroupPutsOutBoth() throws Exception {
    ShelvedQuery<Sold> sold = warm.query(SOLD).as(Sold.class);
    long id = Long.parseLong(database.ask("SELECT min(id) FROM booking WHERE agent_id = 7"));
    for (int agent = 7; agent <= 9; agent++) {
      sold.with("agent", agent).only();
    }
    run("UPDATE booking SET agent_id = 8 WHERE id = " + id);
    assertThat(sold.with("agent", 7).only().origin()).isEqualTo(Origin.LOADED);
    assertThat(sold.with("agent", 8).only().origin()).isEqualTo(Origin.LOADED);
    assertThat(sold.with("agent", 9).only().origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void theDeparturesBoardHoldsWhileOtherSailingsAreBooked() throws Exception {
    ShelvedQuery<Departure> board = warm.query(Questions.DEPARTURES).as(Departure.class);
    Question<Departure> asked = board.with("port", 5).with("day", Scale.FIRST_DAY);
    List<Departure> before = asked.list().value();
    assertThat(before).isNotEmpty();
    int shown = before.get(0).id();
    String elsewhere =
        database.ask(
            "SELECT min(s.id) FROM sailing s JOIN route r ON r.id = s.route_id"
                + " WHERE r.from_port <> 5 AND s.day = '"
                + Scale.FIRST_DAY
                + "'");
    book(Integer.parseInt(elsewhere), 3);
    assertThat(asked.list().origin()).isEqualTo(Origin.KEPT);
    book(shown, 3);
    Reading<List<Departure>> after = asked.list();
    assertThat(after.origin()).isIn(Origin.LOADED, Origin.MENDED);
    assertThat(after.value().get(0).metresLeft())
        .isEqualByComparingTo(before.get(0).metresLeft().subtract(new BigDecimal("4.5")));
  }

  @Test
  void withPrecisionOfTablesEveryBookingPutsOutAll() throws Exception {
    try (WarmShelf coarse = database.shelf(2).tracking(Precision.TABLES).open()) {
      ShelvedQuery<Sold> sold = coarse.query(SOLD).as(Sold.class);
      sold.with("agent", 7).only();
      database.run("UPDATE booking SET seats = 1 WHERE agent_id = 8");
      Waiting.untilDelivered(coarse);
      assertThat(sold.with("agent", 7).only().origin()).isEqualTo(Origin.LOADED);
    }
  }

  /** What a statement notes in the journal: rows before and after, by table. */
  @Tag("thorough")
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "UPDATE booking SET agent_id = 8 WHERE id = 1 | booking {{SAILING,AGENT}}>{{SAILING,8}}",
        "UPDATE booking SET booked_at = '2026-04-03Z' WHERE id = 1"
            + " | booking {{SAILING,AGENT}}>{{SAILING,AGENT}}",
        "UPDATE booking_2026_03 SET seats = 3 WHERE id = 1"
            + " | booking {{SAILING,AGENT}}>{{SAILING,AGENT}}",
        "DELETE FROM booking WHERE id = 1 | booking {{SAILING,AGENT}}",
        "UPDATE booking SET seats = 3 WHERE id = -1 | nothing",
        "MERGE INTO booking b USING (VALUES (1)) v(id) ON b.id = v.id"
            + " WHEN MATCHED THEN UPDATE SET agent_id = 8"
            + " | booking {{SAILING,AGENT}}>{{SAILING,8}}",
        "INSERT INTO booking SELECT * FROM booking WHERE id = 1"
            + " ON CONFLICT (id, booked_at) DO UPDATE SET agent_id = 8"
            + " | booking {{SAILING,AGENT}}>{{SAILING,8}}",
        "DELETE FROM sailing WHERE id = (SELECT sailing_id FROM booking WHERE id = 1)"
            + " | booking {{SAILING,*}}; sailing {{SAILING,*}}",
        "UPDATE open_sailing SET version = 9 WHERE id = 3 | sailing {{3,*}}>{{3,*}}",
        "UPDATE sailing SET version = 9 WHERE id = 3 | sailing {{3,*}}>{{3,*}}",
        "UPDATE booking SET seats = 3 | booking at large",
        "UPDATE booking SET seats = 3 WHERE id <= 1001 | booking at large",
        "UPDATE booking SET seats = 3, sailing_id = 1 + id % 5, agent_id = 1 + id % 3"
            + " WHERE id <= 1000 | booking at large",
        "UPDATE booking SET sailing_id = 9, agent_id = 3 WHERE id = 1; DELETE FROM"
            + " warm_shelf.journal; UPDATE booking SET agent_id = 4 WHERE agent_id = 3"
            + " AND sailing_id = 9 | booking {{9,3}}>{{9,4}}",
        "TRUNCATE booking | booking at large",
        "TRUNCATE booking_2026_05 | booking at large",
        "COPY booking (sailing_id, agent_id, metres, seats, cents, status, booked_at)"
            + " FROM PROGRAM 'printf \"77\\t8\\t1\\t1\\t1\\tHELD\\t2026-05-03Z\\n\"'"
            + " | booking {{77,8}}",
      })
  void changesAreToldApartHoweverTheyAreMade(String change, String expected) throws Exception {
    String sailing = database.ask("SELECT sailing_id FROM booking WHERE id = 1");
    String agent = database.ask("SELECT agent_id FROM booking WHERE id = 1");
    database.run("DELETE FROM warm_shelf.journal");
    database.run(change);
    String noted =
        database.ask(
            "SELECT coalesce(string_agg(DISTINCT replace(lane, '\"', '') || ' '"
                + " || CASE WHEN rows_before IS NULL AND kind <> 'INSERT'"
                + " OR rows_after IS NULL AND kind <> 'DELETE' THEN 'at large'"
                + " ELSE concat_ws('>', rows_before, rows_after) END, '; '), 'nothing')"
                + " FROM warm_shelf.journal");
    String wanted =
        expected.replace("SAILING", sailing).replace("AGENT", agent).replace("{", "\\{");
    assertThat(noted.replace("public.", "")).matches(wanted.replace("*", "[^;]*"));
  }

  @Test
  void writesGoOnThoughAColumnThatTellsApartIsDropped() throws Exception {
    ShelvedQuery<Sold> sold = warm.query(SOLD).as(Sold.class);
    sold.with("agent", 7).only();
    database.run("ALTER TABLE booking DROP COLUMN sailing_id CASCADE");
    database.run("UPDATE booking SET seats = 9 WHERE id = 1");
    assertThat(
            database.ask(
                "SELECT count(*) FROM warm_shelf.journal WHERE lane = '\"public\".\"booking\"'"
                    + " AND rows_before IS NULL"))
        .isEqualTo("1");
    assertThat(Journal.on(database.dataSource()).check().problems())
        .anySatisfy(problem -> assertThat(problem).contains("public.booking", "column"));
  }

  @Test
  void aColumnThatGetsAnotherTypeTellsNothingApartUntilTheJournalKnows() throws Exception {
    ShelvedQuery<Sold> sold = warm.query(SOLD).as(Sold.class);
    sold.with("agent", 7).only();
    database.run(
        "ALTER TABLE booking DROP CONSTRAINT booking_agent_id_fkey;"
            + "ALTER TABLE booking ALTER agent_id TYPE text USING agent_id::text");
    Waiting.untilDelivered(warm);
    ShelvedQuery<Sold> byText = warm.query(SOLD.replace(":agent", ":agent::text")).as(Sold.class);
    assertThat(warm.query(SOLD).as(Sold.class).with("agent", "7").only().lanes().toString())
        .isEqualTo("[public.booking]");
    assertThat(byText.with("agent", 7).only().lanes().toString()).isEqualTo("[public.booking]");
    assertThat(Journal.on(database.dataSource()).check().problems())
        .anySatisfy(problem -> assertThat(problem).contains("public.booking", "changed its type"));
    Journal.on(database.dataSource()).upgrade();
    assertThat(Journal.on(database.dataSource()).check().problems()).isEmpty();
    Waiting.until(
        "the feed knows",
        () ->
            warm.query(SOLD)
                .as(Sold.class)
                .with("agent", "7")
                .only()
                .lanes()
                .toString()
                .contains("agent_id=7"));
  }

  @Test
  void whateverChangesKeptAnswersAreTheDatabases() throws Exception {
    long seed = Long.getLong("changes.seed", 1);
    SplittableRandom random = new SplittableRandom(seed);
    List<Question<?>> questions = new ArrayList<>();
    Map<String, Map<String, Object>> asked = new LinkedHashMap<>();
    asked.put(SOLD, Map.of("agent", 7));
    asked.put("SELECT count(*) FROM booking WHERE sailing_id IN (1, 2, :s)", Map.of("s", 3));
    asked.put(
        "SELECT sum(seats) FROM booking b, sailing s WHERE s.id = b.sailing_id AND s.id = :s",
        Map.of("s", 4));
    asked.put("SELECT count(*) FROM sailing WHERE day = :day", Map.of("day", Scale.FIRST_DAY));
    asked.put(
        "SELECT count(b.id) FROM sailing s LEFT JOIN booking b ON b.sailing_id = s.id"
            + " AND b.agent_id = 5 WHERE s.route_id = :r",
        Map.of("r", 2));
    asked.put("SELECT severity FROM notice WHERE port_id = :p ORDER BY id", Map.of("p", 3));
    asked.put("SELECT status FROM sailing WHERE id = :s", Map.of("s", 2));
    asked.forEach(
        (sql, values) -> {
          Class<?> type = sql.equals(SOLD) ? Sold.class : String.class;
          Question<?> question = warm.query(sql).as(type).question();
          values.forEach(question::with);
          questions.add(question);
        });
    ShelvedQuery<Departure> board = warm.query(Questions.DEPARTURES).as(Departure.class);
    for (int port = 1; port <= 2; port++) {
      questions.add(board.with("port", port).with("day", Scale.FIRST_DAY.plusDays(port % 2)));
    }
    int kept = 0;
    for (int round = 0; round < ROUNDS; round++) {
      String change = change(random);
      database.run(change);
      Waiting.untilDelivered(warm);
      for (Question<?> question : questions) {
        Reading<? extends List<?>> reading = question.list();
        kept += reading.origin() == Origin.KEPT ? 1 : 0;
        question.freshWithin(Duration.ZERO);
        assertThat(reading.value())
            .as("seed %d, round %d, after %s: %s", seed, round, change, reading.lanes())
            .isEqualTo(question.list().value());
        question.freshWithin(Duration.ofDays(1));
      }
    }
    assertThat(kept).isGreaterThan(ROUNDS * questions.size() / 2);
  }

  private static String change(SplittableRandom random) {
    int sailing = 1 + random.nextInt(6);
    int agent = 5 + random.nextInt(4);
    LocalDate day = Scale.FIRST_DAY.plusDays(random.nextInt(3));
    return switch (random.nextInt(9)) {
      case 0, 1 -> booking(sailing, agent);
      case 2 ->
          "UPDATE booking SET sailing_id = "
              + sailing
              + " WHERE id IN"
              + " (SELECT id FROM booking WHERE agent_id = "
              + agent
              + " ORDER BY id LIMIT 2)";
      case 3 ->
          "UPDATE booking SET agent_id = "
              + agent
              + " WHERE id IN"
              + " (SELECT id FROM booking WHERE sailing_id = "
              + sailing
              + " ORDER BY id LIMIT 2)";
      case 4 ->
          "DELETE FROM booking WHERE id = (SELECT max(id) FROM booking WHERE sailing_id = "
              + sailing
              + ")";
      case 5 ->
          "UPDATE sailing SET day = '" + day + "', version = version + 1 WHERE id = " + sailing;
      case 6 ->
          "UPDATE sailing SET route_id = " + (1 + random.nextInt(4)) + " WHERE id = " + sailing;
      case 7 ->
          "UPDATE notice SET port_id = "
              + (1 + random.nextInt(4))
              + " WHERE id = "
              + (1 + random.nextInt(40));
      default -> "UPDATE sailing SET status = 'S" + random.nextInt(9) + "' WHERE id = " + sailing;
    };
  }

  private void book(int sailing, int agent) throws Exception {
    run(booking(sailing, agent));
  }

  private static String booking(int sailing, int agent) {
    return "INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at,"
        + " revision) VALUES ("
        + sailing
        + ", "
        + agent
        + ", 4.5, 2, 5550, 'HELD', '2026-05-01Z', nextval('booking_revision'))";
  }

  private void run(String sql) throws Exception {
    database.run(sql);
    Waiting.untilDelivered(warm);
  }
}
