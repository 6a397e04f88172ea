package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.shelf.Origin;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.TreeSet;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/**
 * Why lanes may not be read from the answer wherever it looks possible: for each condition a query
 * that breaks it, and a booking for a sailing that is not in the answer and changes it all the
 * same. An entry that depended on the bookings of the sailings it shows would be stale for good.
 */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class ToldByAnswerTest {
  private static final String BOOK =
      "INSERT INTO booking (sailing_id, agent_id, metres, seats, cents, status, booked_at)"
          + " VALUES (%d, 1, 400, 90, 1, 'HELD', '2026-05-01Z')";

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeAll
  void open() throws Exception {
    database = TestDatabase.create();
    database.run("DELETE FROM booking WHERE sailing_id BETWEEN 1 AND 9");
    warm = database.shelf(2).open();
  }

  @AfterAll
  void close() {
    warm.close();
  }

  @ParameterizedTest(name = "{0}")
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "an inner join | SELECT s.id, b.seats FROM sailing s JOIN booking b ON b.sailing_id = s.id"
            + " WHERE s.id < 4",
        "WHERE looks at the table | SELECT s.id, b.seats FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id < 4 AND b.seats > 0",
        "WHERE looks at a column that may be the table's | SELECT s.id, b.seats FROM sailing s"
            + " LEFT JOIN booking b ON b.sailing_id = s.id WHERE s.id < 4 AND seats > 0",
        "an inner join's ON looks at the table | SELECT s.id, b.seats FROM sailing s LEFT JOIN"
            + " booking b ON b.sailing_id = s.id JOIN agent a ON a.id = b.agent_id WHERE s.id < 4",
        "HAVING | SELECT s.id, sum(b.seats) FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id < 4 GROUP BY s.id HAVING sum(b.seats) > 50",
        "LIMIT | SELECT s.id, sum(b.seats) FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id < 4 GROUP BY s.id"
            + " ORDER BY coalesce(sum(b.seats), 0) DESC, s.id LIMIT 1",
        "FETCH | SELECT s.id, sum(b.seats) FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id < 4 GROUP BY s.id"
            + " ORDER BY coalesce(sum(b.seats), 0) DESC, s.id FETCH FIRST 1 ROWS ONLY",
        "OFFSET | SELECT s.id, sum(b.seats) FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id < 4 GROUP BY s.id"
            + " ORDER BY coalesce(sum(b.seats), 0), s.id OFFSET 2",
        "the column is not in the answer | SELECT 1, s.route_id, b.seats FROM sailing s"
            + " LEFT JOIN booking b ON b.sailing_id = s.id WHERE s.id < 4",
        "the column is not in the answer as it is | SELECT s.id - 100, b.seats FROM sailing s"
            + " LEFT JOIN booking b ON b.sailing_id = s.id WHERE s.id < 4",
        "a function that gives no row | SELECT s.id, unnest(array_agg(b.seats)"
            + " FILTER (WHERE b.seats > 0)) FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id < 4 GROUP BY s.id",
        "DISTINCT ON | SELECT DISTINCT ON (s.vessel_id * 0) s.id, b.seats FROM sailing s"
            + " LEFT JOIN booking b ON b.sailing_id = s.id WHERE s.id < 4"
            + " ORDER BY s.vessel_id * 0, coalesce(b.seats, 0) DESC, s.id",
        "the table occurs once more | SELECT s.id, (SELECT count(*) FROM booking x) AS n"
            + " FROM sailing s LEFT JOIN booking b ON b.sailing_id = s.id WHERE s.id = 1",
        "set operations | SELECT s.id, b.seats FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE s.id = 1 UNION ALL"
            + " SELECT b.sailing_id * 0, b.seats FROM booking b WHERE b.seats = 90",
        "ON tells no equality | SELECT s.id, b.seats FROM sailing s LEFT JOIN booking b"
            + " ON b.sailing_id = s.id OR b.sailing_id = 3 WHERE s.id = 1",
        "the other side of a right join | SELECT s.id, b.seats FROM sailing s RIGHT JOIN booking b"
            + " ON b.sailing_id = s.id WHERE b.sailing_id IS NOT NULL AND b.seats = 90",
      })
  void aConditionThatIsBrokenWouldLeaveAStaleAnswer(String condition, String sql) throws Exception {
    String text = sql.startsWith("SELECT 1, ") ? sql.replace("SELECT 1, ", "SELECT ") : sql;
    List<String> before = rows(text);
    TreeSet<String> shown = new TreeSet<>();
    for (String row : before) {
      shown.add(row.substring(0, row.indexOf(' ')));
    }
    ShelvedQuery<String> query =
        warm.query("SELECT string_agg(t::text, ';' ORDER BY t::text) FROM (" + text + ") t")
            .as(String.class);
    assertThat(warm.query(text).as(Row.class).verdict().toString())
        .as("depends on all bookings")
        .contains("Whole[table=public.booking]");
    query.only();
    int other = shown.contains("3") ? 2 : 3;
    assertThat(shown).as("the sailing is not in the answer").doesNotContain("" + other);
    database.run(BOOK.formatted(other));
    try {
      Waiting.untilDelivered(warm);
      assertThat(rows(text)).as("the answer changes").isNotEqualTo(before);
      assertThat(query.only().origin()).isEqualTo(Origin.LOADED);
    } finally {
      database.run("DELETE FROM booking WHERE seats = 90");
      Waiting.untilDelivered(warm);
    }
  }

  record Row(int id) {}

  @Test
  void whereNoneIsBrokenTheOtherSailingsBookingsDoNotMatter() throws Exception {
    ShelvedQuery<Row> query =
        warm.query(
                "SELECT s.id, count(b.id) FROM sailing s LEFT JOIN booking b"
                    + " ON b.sailing_id = s.id WHERE s.id < 3 AND s.status <> 'x' GROUP BY s.id")
            .as(Row.class);
    query.list();
    database.run(BOOK.formatted(3));
    Waiting.untilDelivered(warm);
    assertThat(query.list().origin()).isEqualTo(Origin.KEPT);
    database.run(BOOK.formatted(2));
    Waiting.untilDelivered(warm);
    assertThat(query.list().origin()).isEqualTo(Origin.LOADED);
    database.run("DELETE FROM booking WHERE seats = 90");
  }

  private List<String> rows(String sql) throws SQLException {
    List<String> rows = new ArrayList<>();
    try (Connection connection = database.dataSource().getConnection();
        Statement statement = connection.createStatement();
        ResultSet result = statement.executeQuery(sql)) {
      while (result.next()) {
        rows.add(result.getString(1) + " " + result.getString(2));
      }
    }
    rows.sort(null);
    return rows;
  }
}
