package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import javax.sql.DataSource;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** A program under whose JDBC the shelves are. */
class DoorTest {
  private static final String PORTS = "SELECT id, name, island FROM port WHERE island = ? ORDER BY id";

  private TestDatabase database;
  private CountingSource counted;
  private WarmShelf warm;
  private DataSource door;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    counted = new CountingSource(database.dataSource());
    warm = WarmShelf.over(counted.dataSource())
        .following(dev.warmshelf.journal.JournalFeed.on(database.dataSource()).polling(Duration.ofMillis(20)))
        .keeping(Rule.ofTables("port", "island"))
        .open();
    door = warm.dataSource();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  private static List<String> rows(ResultSet result) throws SQLException {
    List<String> rows = new ArrayList<>();
    while (result.next()) {
      rows.add(result.getInt(1) + " " + result.getString("name"));
    }
    return rows;
  }

  private Origin ask(Connection connection, String island, List<String> into) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(PORTS)) {
      statement.setString(1, island);
      try (ResultSet result = statement.executeQuery()) {
        into.addAll(rows(result));
        assertThat(result.getStatement()).isSameAs(statement);
        return result.isWrapperFor(Reading.class) ? result.unwrap(Reading.class).origin() : Origin.DIRECT;
      }
    }
  }

  @Test
  void itIsAsked() throws Exception {
    System.out.println(database.ask("SELECT string_agg(column_name||' '||data_type, ', ') FROM information_schema.columns WHERE table_name='port'"));
    List<Origin> seen = new ArrayList<>();
    for (int i = 0; i < 40; i++) {
      List<String> rows = new ArrayList<>();
      try (Connection connection = door.getConnection()) {
        seen.add(ask(connection, "Norra", rows));
      }
      Thread.sleep(10);
    }
    System.out.println(seen);
    int before = counted.taken();
    for (int i = 0; i < 100; i++) {
      try (Connection connection = door.getConnection()) {
        connection.setAutoCommit(false);
        ask(connection, "Norra", new ArrayList<>());
        connection.commit();
      }
    }
    assertThat(counted.taken()).isEqualTo(before);
    try (Connection connection = door.getConnection(); Statement s = connection.createStatement()) {
      s.executeUpdate("UPDATE port SET name = name || '!'");
      List<String> rows = new ArrayList<>();
      System.out.println(ask(connection, "Norra", rows) + " " + rows);
    }
    List<String> rows = new ArrayList<>();
      try (Connection connection = door.getConnection()) {
    System.out.println(ask(connection, "Norra", rows) + " " + rows);
      }
  }
}
