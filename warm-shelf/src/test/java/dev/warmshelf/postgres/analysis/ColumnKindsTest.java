package dev.warmshelf.postgres.analysis;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.lane.ColumnKind;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.Statement;
import java.time.LocalDate;
import java.util.List;
import java.util.UUID;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * By the server's own word: two values of a tracked column are equal exactly if they are written
 * alike, over the whole range of their type, whatever the session's settings; and what is written
 * here of a value that a program has is what the server writes of it.
 */
class ColumnKindsTest {
  private static final List<String> SETTINGS =
      List.of(
          "SET DateStyle = 'ISO, MDY'",
          "SET DateStyle = 'ISO, DMY'; SET TimeZone = 'Pacific/Apia'",
          "SET TimeZone = 'America/New_York'; SET search_path = pg_temp");

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "INTEGER | int2 | -32768, -1, 0, 1, 32767",
        "INTEGER | int4 | -2147483648, -1, 0, 1, 2147483647",
        "INTEGER | int8 | -9223372036854775808, -2147483649, 0, 2147483648, 9223372036854775807",
        "DATE | date | infinity, -infinity, 4713-11-24 BC, 0044-03-15 BC, 0044-03-15, 0001-12-31 BC,"
            + " 0001-01-01, 0001-01-01 BC, 1582-10-10, 1900-02-28, 1970-01-01, 2000-02-29, 2026-12-01,"
            + " 9999-12-31, 10000-01-01, 99999-09-09, 5874897-12-31",
        "UUID | uuid | 00000000-0000-0000-0000-000000000000, ffffffff-ffff-ffff-ffff-ffffffffffff,"
            + " A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11, {a0eebc999c0b4ef8bb6d6bb9bd380a11}",
        "BOOLEAN | bool | t, f, yes, off, 1",
        "TEXT | text | , a, A, 'a ', ä, a\u0308, ß, ss, \u0130, i, 0, 00, NULL, null, \\, %, \uD83D\uDE00",
        "TEXT | varchar(20) | , a, A, 'a ', '  a', 7",
      })
  void equalValuesAreWrittenAlikeAndNoOthers(ColumnKind kind, String type, String list)
      throws Exception {
    TestDatabase database = TestDatabase.create();
    String values =
        List.of(list.split(", ?", -1)).stream()
            .map(each -> each.trim().startsWith("'") ? each.trim() : SqlText.literal(each.trim()))
            .map(each -> "(" + each + "::text::" + type + ")")
            .collect(Collectors.joining(", "));
    ColumnKind hidden = ColumnKinds.hidden("its \"table\".col%s'\\", kind);
    String sql =
        "WITH v(x) AS (VALUES "
            + values
            + ") SELECT a.x = b.x, "
            + Stream.of(kind, hidden)
                .flatMap(as -> Stream.of("a.x", "b.x").map(x -> ColumnKinds.textOf(as, x)))
                .collect(Collectors.joining(", "))
            + " FROM v a, v b";
    for (String setting : SETTINGS) {
      try (Connection connection = database.dataSource().getConnection();
          Statement statement = connection.createStatement()) {
        statement.execute(setting);
        try (ResultSet row = statement.executeQuery(sql)) {
          while (row.next()) {
            String one = row.getString(2);
            assertThat(one).isNotNull();
            assertThat(one.equals(row.getString(3)))
                .as(row.getString(3))
                .isEqualTo(row.getBoolean(1));
            isReadAsItIsWritten(connection, kind, type, one);
            String digest = row.getString(4);
            assertThat(digest.equals(row.getString(5))).as(digest).isEqualTo(row.getBoolean(1));
            isHiddenAlikeHere(kind, hidden, one, digest);
          }
        }
      }
    }
  }

  private static void isHiddenAlikeHere(
      ColumnKind kind, ColumnKind hidden, String written, String digest) {
    assertThat(digest).matches("[0-9a-f]{32}").isEqualTo(ColumnKinds.told(hidden, digest));
    assertThat(hidden.value(digest)).as("nobody knows what it stands for").isNull();
    Object value = kind.value(String.valueOf(ColumnKinds.told(kind, written)));
    if (value != null) {
      assertThat(hidden.group("c", value)).isEqualTo("c=" + digest);
    }
  }

  /** A value that a text is certain to stand for is bound, and written so again. */
  private static void isReadAsItIsWritten(
      Connection connection, ColumnKind kind, String type, String written) throws Exception {
    String text = ColumnKinds.told(kind, written);
    assertThat(text).isNotNull();
    Object value = kind.value(text);
    if (value == null) {
      assertThat(kind).isEqualTo(ColumnKind.DATE);
      return;
    }
    assertThat(kind.group("c", value)).isEqualTo("c=" + text);
    try (PreparedStatement statement =
        connection.prepareStatement(
            "SELECT %s FROM (SELECT ?::%s AS x) v"
                .formatted(ColumnKinds.textOf(kind, "x"), type))) {
      statement.setObject(1, value);
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        assertThat(row.getString(1)).isEqualTo(written);
      }
    }
  }

  /** The driver takes no such session; a trigger may well run in one. */
  @ParameterizedTest
  @ValueSource(strings = {"German", "SQL, DMY", "Postgres, MDY"})
  void aDayIsWrittenAlikeHoweverTheSessionWritesDays(String style) throws Exception {
    TestDatabase database = TestDatabase.create();
    database.run(
        "CREATE FUNCTION told(x date) RETURNS text SET DateStyle = %s LANGUAGE plpgsql AS %s"
            .formatted(
                SqlText.literal(style),
                SqlText.literal(
                    "BEGIN RETURN " + ColumnKinds.textOf(ColumnKind.DATE, "x") + "; END")));
    assertThat(told(database, "2026-02-01")).isEqualTo("2026-02-01");
    assertThat(told(database, "0044-03-15 BC")).isEqualTo("day fff49d7b");
  }

  private static String told(TestDatabase database, String day) throws Exception {
    return ColumnKinds.told(ColumnKind.DATE, database.ask("SELECT told('" + day + "')"));
  }

  /** Of another type than the trigger was made for nothing is told. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "DATE | '2026-02-01'::timestamp",
        "DATE | '2026-02-01'::text",
        "INTEGER | 'seven'::text",
        "BOOLEAN | 7",
        "UUID | 'x'::text",
      })
  void aColumnThatHasGotAnotherTypeTellsNothing(ColumnKind kind, String value) throws Exception {
    for (ColumnKind as : List.of(kind, ColumnKinds.hidden("t.c", kind))) {
      String written = TestDatabase.create().ask("SELECT " + ColumnKinds.textOf(as, value));
      assertThat(ColumnKinds.told(as, written)).isNull();
    }
  }

  @ParameterizedTest
  @CsvSource({
    "DATE, day 7fffffff",
    "DATE, +10000-01-01",
    "DATE, 0044-03-15 BC",
    "INTEGER, 92233720368547758070",
    "UUID, none",
    "UNKNOWN, x"
  })
  void aTextThatMeansNoCertainValueHasNone(ColumnKind kind, String text) {
    assertThat(kind.value(text)).isNull();
  }

  @ParameterizedTest
  @CsvSource({"99, true", "100, false", "250, false"})
  void longStringsAreKnownByTheirBeginningOnly(int length, boolean known) {
    String text = "x".repeat(Math.min(length, ColumnKind.LONGEST_TEXT));
    assertThat(ColumnKind.TEXT.group("c", "x".repeat(length))).isEqualTo("c=" + text);
    assertThat(ColumnKind.TEXT.value(text) != null).isEqualTo(known);
  }

  @ParameterizedTest
  @CsvSource({"-0044-03-15", "0000-12-31", "+10000-01-01", "+999999999-12-31", "-999999999-01-01"})
  void aDayThatIsoHasNoTenCharactersForIsInNoGroup(LocalDate day) {
    assertThat(ColumnKind.DATE.group("c", day)).isNull();
    assertThat(ColumnKind.UUID.group("c", new UUID(0, 1))).isNotNull();
  }
}
