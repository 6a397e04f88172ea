package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.jooq.impl.DSL.count;
import static org.jooq.impl.DSL.field;
import static org.jooq.impl.DSL.name;
import static org.jooq.impl.DSL.table;

import java.time.OffsetDateTime;
import java.util.List;
import java.util.UUID;
import javax.sql.DataSource;
import org.jooq.DSLContext;
import org.jooq.Field;
import org.jooq.SQLDialect;
import org.jooq.exception.DataAccessException;
import org.jooq.impl.DSL;
import org.jooq.impl.SQLDataType;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** A program that builds its statements from typed parts. */
@Tag("thorough")
class BuilderTest {
  private static final String SCHEMA =
      "CREATE TABLE fare (id uuid PRIMARY KEY, class text NOT NULL, cents int NOT NULL,"
          + " since timestamptz NOT NULL)";

  private static final Field<UUID> ID = field(name("id"), SQLDataType.UUID);
  private static final Field<String> CLASS = field(name("class"), SQLDataType.CLOB);
  private static final Field<Integer> CENTS = field(name("cents"), SQLDataType.INTEGER);
  private static final Field<OffsetDateTime> SINCE =
      field(name("since"), SQLDataType.OFFSETDATETIME);

  private static List<Integer> cents(DSLContext sql, String of) {
    return sql.select(CENTS)
        .from(table(name("fare")))
        .where(CLASS.eq(of))
        .orderBy(CENTS)
        .fetch(CENTS);
  }

  private static void suite(DSLContext sql) {
    sql.deleteFrom(table(name("fare"))).execute();
    OffsetDateTime since = OffsetDateTime.parse("2026-05-01T08:00:00Z");
    UUID first = UUID.randomUUID();
    sql.transaction(
        inside -> {
          for (int cents : List.of(100, 250)) {
            UUID id = cents == 100 ? first : UUID.randomUUID();
            inside
                .dsl()
                .insertInto(table(name("fare")), ID, CLASS, CENTS, SINCE)
                .values(id, "adult", cents, since)
                .execute();
          }
          assertThat(cents(inside.dsl(), "adult")).containsExactly(100, 250);
        });
    assertThat(cents(sql, "adult")).containsExactly(100, 250);
    assertThatThrownBy(
            () ->
                sql.transaction(
                    inside -> {
                      inside.dsl().update(table(name("fare"))).set(CENTS, 1).execute();
                      throw new IllegalStateException("on second thoughts");
                    }))
        .isInstanceOf(IllegalStateException.class);
    assertThat(cents(sql, "adult")).containsExactly(100, 250);
    sql.update(table(name("fare"))).set(CENTS, 120).where(ID.eq(first)).execute();
    assertThat(cents(sql, "adult")).containsExactly(120, 250);
    assertThat(
            sql.select(CLASS, count(), DSL.max(SINCE))
                .from(table(name("fare")))
                .groupBy(CLASS)
                .fetchOne()
                .value3())
        .isEqualTo(since);
    assertThatThrownBy(() -> sql.fetch("SELECT nothing FROM fare"))
        .isInstanceOf(DataAccessException.class)
        .satisfies(e -> assertThat(((DataAccessException) e).sqlState()).isEqualTo("42703"));
  }

  private static DSLContext over(DataSource source) {
    return DSL.using(source, SQLDialect.POSTGRES);
  }

  @Test
  void itsSuitePassesWithoutShelves() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      suite(over(ground.plain()));
    }
  }

  @Test
  void itsSuitePassesWithShelvesAndReadsAreKept() throws Exception {
    try (Ground ground = Ground.with(SCHEMA)) {
      DSLContext sql = over(ground.shelved("fare"));
      suite(sql);
      ground.requireKept(() -> cents(sql, "adult"));
      suite(sql);
    }
  }
}
