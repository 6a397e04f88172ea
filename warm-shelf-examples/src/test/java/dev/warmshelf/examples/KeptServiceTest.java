package dev.warmshelf.examples;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.config.Configuration;
import dev.warmshelf.examples.KeptService.Sailings;
import dev.warmshelf.examples.KeptService.SailingsByJdbc;
import dev.warmshelf.repository.Repositories;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.testing.ShelfExtension;
import dev.warmshelf.testing.ShelfKit;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.extension.RegisterExtension;

/** The service is tested with the kit: what is kept, and what a booking puts out. */
class KeptServiceTest {
  private static LocalPostgres server;

  // [docs]
  @RegisterExtension
  static final ShelfExtension SHELVES =
      ShelfExtension.opening(
          () ->
              ShelfKit.over(server.dataSource("postgres"))
                  .installing("sailing:day,route_id", "route:from_port", "booking:sailing_id")
                  .open());

  @Test
  void aBookingPutsOutTheSailingItIsOfAndNoOther(ShelfKit kit) throws Exception {
    Sailings sailings =
        Repositories.over(kit.warm()).wrap(Sailings.class, new SailingsByJdbc(kit.dataSource()));
    int before = seatsBooked(kit, sailings);
    kit.settle(); // by now the database has said what the statements read
    seatsBooked(kit, sailings);
    int first = sailings.ofToday(1).get(0);
    kit.resultsOf(Sailings.class, "seatsBooked").areKept();
    kit.forget();

    book(first); // as another program
    assertThat(seatsBooked(kit, sailings)).isEqualTo(before);
    kit.feedLooks();
    kit.resultsOf("seats booked today").wereHit(1).wereInvalidated();
    assertThat(seatsBooked(kit, sailings)).isEqualTo(before + 1);
    kit.resultsOf(Sailings.class, "ofToday").wereHit(1);
    kit.resultsOf(Sailings.class, "seatsBooked")
        .wereLoaded(1)
        .having(first)
        .wereLoaded(1)
        .areKept();
    kit.statements().containing("FROM booking").wereSent(1);
  }

  // [/docs]

  /** The rules are those of the program's own file, on the class path. */
  @Test
  void whatTheProgramsFileSaysIsKept() throws Exception {
    try (ShelfKit kit =
        ShelfKit.over(server.dataSource("postgres"))
            .installing("notice:port_id")
            .adjusted(Configuration.find()::onto)
            .open()) {
      for (int i = 0; i < 3; i++) {
        try (Connection connection = kit.dataSource().getConnection();
            Statement statement = connection.createStatement()) {
          statement.executeQuery("SELECT text FROM notice WHERE port_id = 3").next();
        }
        kit.settle(); // by now the database has said what the statement reads
      }
      kit.answersTo("SELECT text FROM notice WHERE port_id = 3").areKept();
      assertThat(kit.warm().shelves()).hasSize(1);
    }
  }

  private static int seatsBooked(ShelfKit kit, Sailings sailings) throws SQLException {
    return kit.warm()
        .<Integer>computation("seats booked today")
        .get(() -> KeptService.seatsBookedToday(sailings, 1), 1)
        .value();
  }

  private static void book(int sailing) throws SQLException {
    try (Connection others = server.dataSource("postgres").getConnection();
        Statement statement = others.createStatement()) {
      statement.execute(
          "UPDATE booking SET seats = seats + 1"
              + " WHERE id = (SELECT min(b.id) FROM booking b WHERE b.sailing_id = "
              + sailing
              + ")");
    }
  }

  @BeforeAll
  static void startServer() throws Exception {
    server = LocalPostgres.start();
    SkerryLine.loadTiny(server.dataSource("postgres"));
  }

  @AfterAll
  static void stopServer() throws Exception {
    server.close();
  }
}
