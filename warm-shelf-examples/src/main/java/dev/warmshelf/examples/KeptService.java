package dev.warmshelf.examples;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Computation;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.repository.Kept;
import dev.warmshelf.repository.Repositories;
import dev.warmshelf.shelf.Reading;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import javax.sql.DataSource;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * A service on a repository, as programs have them. The repository is wrapped, and the service's
 * result is kept; nobody says which tables it is made from.
 */
public final class KeptService {
  private static final int PORT = 1;

  private KeptService() {}

  /** The repository's interface; one annotation is all that was added. */
  interface Sailings {
    @Kept
    List<Integer> ofToday(int port) throws SQLException;

    @Kept
    int seatsBooked(int sailing) throws SQLException;
  }

  /** Its implementation knows plain JDBC. */
  record SailingsByJdbc(DataSource dataSource) implements Sailings {
    @Override
    public List<Integer> ofToday(int port) throws SQLException {
      return ask(
          "SELECT s.id FROM sailing s JOIN route r ON r.id = s.route_id"
              + " WHERE r.from_port = ? AND s.day = (SELECT min(day) FROM sailing) ORDER BY s.id",
          port);
    }

    @Override
    public int seatsBooked(int sailing) throws SQLException {
      return ask("SELECT coalesce(sum(seats), 0) FROM booking WHERE sailing_id = ?", sailing)
          .get(0);
    }

    private List<Integer> ask(String sql, int value) throws SQLException {
      try (Connection connection = dataSource.getConnection();
          PreparedStatement statement = connection.prepareStatement(sql)) {
        statement.setInt(1, value);
        try (ResultSet rows = statement.executeQuery()) {
          List<Integer> all = new ArrayList<>();
          while (rows.next()) {
            all.add(rows.getInt(1));
          }
          return all;
        }
      }
    }
  }

  /** The service: what it works out is made of many small reads. */
  static int seatsBookedToday(Sailings sailings, int port) throws SQLException {
    int seats = 0;
    for (int sailing : sailings.ofToday(port)) {
      seats += sailings.seatsBooked(sailing);
    }
    return seats;
  }

  /**
   * Works it out twice, lets another program book, and works it out again.
   *
   * @param arguments the database's JDBC URL
   * @throws Exception if the database cannot be followed
   */
  public static void main(String[] arguments) throws Exception {
    var dataSource = new PGSimpleDataSource();
    dataSource.setURL(arguments[0]);
    Journal.on(dataSource)
        .install(List.of("sailing:day,route_id", "route:from_port", "booking:sailing_id"));
    HikariConfig config = new HikariConfig();
    config.setDataSource(dataSource);
    try (HikariDataSource pool = new HikariDataSource(config);
        WarmShelf warm = WarmShelf.over(pool).following(JournalFeed.on(pool)).open()) {
      Sailings sailings =
          Repositories.over(warm).wrap(Sailings.class, new SailingsByJdbc(warm.dataSource()));
      Computation<Integer> booked = warm.computation("seats booked today");
      while (ask(booked, sailings).unshared().isPresent()) {
        Thread.onSpinWait(); // until the database has said what the statements read
      }
      say("asked again", ask(booked, sailings));
      Reading<Integer> before = ask(booked, sailings);
      try (Connection others = dataSource.getConnection();
          Statement statement = others.createStatement()) {
        statement.execute(
            "UPDATE booking SET seats = seats + 1 WHERE id = (SELECT min(b.id) FROM booking b"
                + " WHERE sailing_id = "
                + sailings.ofToday(PORT).get(0)
                + ")");
      }
      while (before.holdsStill()) {
        Thread.onSpinWait(); // some milliseconds
      }
      Reading<Integer> after = ask(booked, sailings);
      say("somebody has booked", after);
      System.out.println("one seat more: " + (after.value() == before.value() + 1));
    }
  }

  private static Reading<Integer> ask(Computation<Integer> booked, Sailings sailings)
      throws SQLException {
    return booked.get(() -> seatsBookedToday(sailings, PORT), PORT);
  }

  private static void say(String when, Reading<Integer> reading) {
    System.out.println(when + ": " + reading.origin());
  }
}
