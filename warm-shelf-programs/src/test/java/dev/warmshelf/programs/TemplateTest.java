package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.sql.Timestamp;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import javax.sql.DataSource;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.springframework.dao.DuplicateKeyException;
import org.springframework.jdbc.core.DataClassRowMapper;
import org.springframework.jdbc.core.JdbcTemplate;
import org.springframework.jdbc.core.namedparam.NamedParameterJdbcTemplate;
import org.springframework.jdbc.datasource.DataSourceTransactionManager;
import org.springframework.transaction.TransactionDefinition;
import org.springframework.transaction.support.TransactionTemplate;

/** A program on a thin JDBC template, with declared transactions. */
@Tag("thorough")
class TemplateTest {
  private static final String SCHEMA =
      "CREATE TABLE booking (id int PRIMARY KEY, guest text NOT NULL, seats int NOT NULL,"
          + " made timestamptz NOT NULL DEFAULT now())";

  /** A row. */
  public record Booking(int id, String guest, int seats) {}

  /** The program. */
  private static final class Program {
    private final JdbcTemplate jdbc;
    private final NamedParameterJdbcTemplate named;
    private final TransactionTemplate writing;
    private final TransactionTemplate reading;

    Program(DataSource source) {
      this.jdbc = new JdbcTemplate(source);
      this.named = new NamedParameterJdbcTemplate(jdbc);
      DataSourceTransactionManager transactions = new DataSourceTransactionManager(source);
      this.writing = new TransactionTemplate(transactions);
      this.reading = new TransactionTemplate(transactions);
      reading.setReadOnly(true);
    }

    List<Booking> of(String guest) {
      return reading.execute(
          status ->
              named.query(
                  "SELECT id, guest, seats FROM booking WHERE guest = :guest ORDER BY id",
                  Map.of("guest", guest),
                  new DataClassRowMapper<>(Booking.class)));
    }

    int seats() {
      return jdbc.queryForObject("SELECT coalesce(sum(seats), 0)::int FROM booking", Integer.class);
    }

    void suite() {
      jdbc.update("DELETE FROM booking");
      assertThat(seats()).isZero();
      writing.executeWithoutResult(
          status -> {
            jdbc.update("INSERT INTO booking (id, guest, seats) VALUES (?, ?, ?)", 1, "Ada", 2);
            assertThat(of("Ada")).containsExactly(new Booking(1, "Ada", 2));
          });
      jdbc.batchUpdate(
          "INSERT INTO booking (id, guest, seats) VALUES (?, ?, ?)",
          List.of(new Object[] {2, "Bo", 1}, new Object[] {3, "Ada", 4}));
      assertThat(seats()).isEqualTo(7);
      assertThat(of("Ada")).hasSize(2);
      assertThatThrownBy(
              () ->
                  writing.executeWithoutResult(
                      status -> {
                        jdbc.update("UPDATE booking SET seats = 100");
                        jdbc.update("INSERT INTO booking (id, guest, seats) VALUES (1, 'x', 1)");
                      }))
          .isInstanceOf(DuplicateKeyException.class);
      assertThat(seats()).isEqualTo(7);
      TransactionTemplate repeatable = new TransactionTemplate(writing.getTransactionManager());
      repeatable.setIsolationLevel(TransactionDefinition.ISOLATION_REPEATABLE_READ);
      repeatable.executeWithoutResult(
          status -> {
            assertThat(seats()).isEqualTo(7);
            inOwnTransaction(() -> jdbc.update("UPDATE booking SET seats = seats + 1"));
            assertThat(seats()).isEqualTo(7); // as the transaction saw them first
          });
      assertThat(seats()).isEqualTo(10);
      assertThat(
              jdbc.queryForObject(
                  "SELECT count(*) FROM booking WHERE made > ?",
                  Long.class,
                  Timestamp.from(Instant.EPOCH)))
          .isEqualTo(3);
      assertThat(jdbc.queryForList("SELECT * FROM booking WHERE id = 1").get(0))
          .containsEntry("guest", "Ada")
          .containsKey("made");
    }

    private void inOwnTransaction(Runnable work) {
      TransactionTemplate own = new TransactionTemplate(writing.getTransactionManager());
      own.setPropagationBehavior(TransactionDefinition.PROPAGATION_REQUIRES_NEW);
      own.executeWithoutResult(status -> work.run());
    }
  }

  @Test
  void itsSuitePassesWithoutShelves() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      new Program(ground.plain()).suite();
    }
  }

  @Test
  void itsSuitePassesWithShelvesAndReadsAreKept() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      Program program = new Program(ground.shelved("booking"));
      program.suite();
      ground.requireKept(() -> program.of("Ada"));
      ground.requireKept(program::seats);
      program.suite();
    }
  }
}
