package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.assertj.core.api.Assertions.tuple;

import java.math.BigDecimal;
import java.time.OffsetDateTime;
import java.util.Iterator;
import java.util.List;
import java.util.stream.Stream;
import javax.sql.DataSource;
import org.jdbi.v3.core.Handle;
import org.jdbi.v3.core.Jdbi;
import org.jdbi.v3.core.mapper.reflect.ConstructorMapper;
import org.jdbi.v3.core.statement.PreparedBatch;
import org.jdbi.v3.core.transaction.TransactionIsolationLevel;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** A program that writes in batches, reads as streams, and nests its units of work. */
@Tag("thorough")
class BatchAndStreamTest {
  private static final String SCHEMA =
      "CREATE TABLE tariff (id bigserial PRIMARY KEY, zone text NOT NULL, cents numeric(8, 2),"
          + " since timestamptz NOT NULL, tags text[] NOT NULL DEFAULT '{}')";

  private static final OffsetDateTime MAY = OffsetDateTime.parse("2026-05-01T08:00:00+02:00");
  private static final String ALL = "SELECT * FROM tariff WHERE zone = ? ORDER BY id";
  private static final int MANY = 500;

  /** A row. */
  public record Tariff(
      long id, String zone, BigDecimal cents, OffsetDateTime since, List<String> tags) {}

  private static Jdbi program(DataSource source) {
    Jdbi program = Jdbi.create(source);
    program.registerArrayType(String.class, "text");
    program.registerRowMapper(Tariff.class, ConstructorMapper.of(Tariff.class));
    return program;
  }

  private static List<Long> added(Handle handle, String zone, int count) {
    PreparedBatch batch =
        handle.prepareBatch(
            "INSERT INTO tariff (zone, cents, since, tags) VALUES (:zone, :cents, :since, :tags)");
    for (int i = 0; i < count; i++) {
      batch
          .bind("zone", zone)
          .bind("cents", new BigDecimal(i).movePointLeft(2))
          .bind("since", MAY.plusDays(i))
          .bind("tags", new String[] {"n" + i, zone})
          .add();
    }
    return batch.executePreparedBatch("id").mapTo(Long.class).list();
  }

  private static BigDecimal total(Jdbi program, String zone) {
    return program.withHandle(handle -> total(handle, zone));
  }

  private static BigDecimal total(Handle handle, String zone) {
    return handle
        .createQuery("SELECT coalesce(sum(cents), 0) FROM tariff WHERE zone = :zone")
        .bind("zone", zone)
        .mapTo(BigDecimal.class)
        .one();
  }

  private static List<Tariff> all(Handle handle, String zone) {
    return handle.select(ALL, zone).mapTo(Tariff.class).list();
  }

  /** All of a zone, a hundred at a time: with a fetch size, the database is asked each time. */
  private static Stream<Tariff> stream(Handle handle, String zone) {
    return handle.select(ALL, zone).setFetchSize(100).mapTo(Tariff.class).stream();
  }

  private static void suite(Jdbi program, String zone) {
    List<Long> ids = program.inTransaction(handle -> added(handle, zone, MANY));
    assertThat(ids).hasSize(MANY).doesNotHaveDuplicates();
    BigDecimal whole = total(program, zone);
    assertThat(whole).isEqualByComparingTo("1247.50");
    streams(program, zone);
    nested(program, zone, ids);
    assertThat(total(program, zone)).isEqualByComparingTo("1249.50");
    int[] changed =
        program.inTransaction(
            handle -> {
              PreparedBatch batch =
                  handle.prepareBatch("UPDATE tariff SET cents = cents + 1 WHERE id = ?");
              ids.subList(0, 10).forEach(batch::add);
              return batch.execute();
            });
    assertThat(changed).hasSize(10).containsOnly(1);
    assertThat(total(program, zone)).isEqualByComparingTo("1259.50");
    long few =
        program.withHandle(
            handle ->
                handle
                    .createQuery("SELECT count(*) FROM tariff WHERE id IN (<ids>)")
                    .bindList("ids", ids.subList(0, 7))
                    .mapTo(Long.class)
                    .one());
    assertThat(few).isEqualTo(7);
    program.useHandle(handle -> handle.execute("DELETE FROM tariff WHERE zone = ?", zone));
    assertThat(total(program, zone)).isEqualByComparingTo("0");
  }

  /** Whole, and left off in the midst, with other reads on the same connection meanwhile. */
  private static void streams(Jdbi program, String zone) {
    for (int times = 0; times < 3; times++) {
      program.useTransaction(
          handle -> {
            try (Stream<Tariff> all = stream(handle, zone)) {
              assertThat(all.map(Tariff::cents).reduce(BigDecimal.ZERO, BigDecimal::add))
                  .isEqualByComparingTo("1247.50");
            }
            try (Stream<Tariff> some = stream(handle, zone)) {
              Iterator<Tariff> each = some.iterator();
              Tariff first = each.next();
              assertThat(first.tags()).containsExactly("n0", zone);
              assertThat(first.since().toInstant()).isEqualTo(MAY.toInstant());
              assertThat(total(handle, zone)).isEqualByComparingTo("1247.50");
              assertThat(each.next().tags()).startsWith("n1");
            }
          });
    }
  }

  /**
   * What a savepoint takes back is gone, what is before it stays, and what failed leaves no trace.
   */
  private static void nested(Jdbi program, String zone, List<Long> ids) {
    program.useTransaction(
        handle -> {
          handle.execute("UPDATE tariff SET cents = cents + 2 WHERE id = ?", ids.get(0));
          assertThat(total(handle, zone)).isEqualByComparingTo("1249.50");
          handle.savepoint("before");
          handle.execute("DELETE FROM tariff WHERE zone = ?", zone);
          assertThat(total(handle, zone)).isEqualByComparingTo("0");
          handle.rollbackToSavepoint("before");
          assertThat(total(handle, zone)).isEqualByComparingTo("1249.50");
        });
    assertThatThrownBy(
            () ->
                program.useTransaction(
                    TransactionIsolationLevel.REPEATABLE_READ,
                    handle -> {
                      assertThat(total(handle, zone)).isEqualByComparingTo("1249.50");
                      added(handle, zone, 3);
                      assertThat(total(handle, zone)).isEqualByComparingTo("1249.53");
                      throw new IllegalStateException("left off");
                    }))
        .hasMessage("left off");
  }

  @Test
  void itsSuitePassesWithoutShelves() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      suite(program(ground.plain()), "north");
    }
  }

  @Test
  void itsSuitePassesWithShelvesAndReadsAreKept() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      Jdbi program = program(ground.shelved("tariff"));
      suite(program, "north");
      ground.requireKept(() -> total(program, "north"));
      List<Long> ids = program.inTransaction(handle -> added(handle, "east", 3));
      for (int times = 0; times < 10; times++) { // an array takes a connection, and no asking
        List<Tariff> east = program.withHandle(handle -> all(handle, "east"));
        assertThat(east)
            .extracting(Tariff::id, tariff -> tariff.tags().get(0))
            .containsExactly(
                tuple(ids.get(0), "n0"), tuple(ids.get(1), "n1"), tuple(ids.get(2), "n2"));
      }
      assertThat(ground.warmShelf().statements())
          .filteredOn(each -> each.normalForm().startsWith("select * from tariff"))
          .allSatisfy(each -> assertThat(each.outcomes().hits()).isPositive());
      suite(program, "north");
      suite(program, "south");
    }
  }
}
