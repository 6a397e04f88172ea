package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.MappingException;
import dev.warmshelf.shelf.Origin;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** Values as they are kept, as they are handed out, and as parameters. */
class ValuesTest {
  enum Severity {
    INFORMATION,
    WARNING
  }

  record Blob(int id, byte[] content) {}

  private TestDatabase database;
  private WarmShelf warm;

  @BeforeEach
  void open() throws Exception {
    database = TestDatabase.create();
    warm =
        WarmShelf.over(database.dataSource())
            .following(JournalFeed.on(database.dataSource()))
            .shelf("audited", policy -> policy.auditing(Audit.of(1, 1_000)))
            .open();
  }

  @AfterEach
  void close() {
    warm.close();
  }

  @Tag("thorough")
  @ParameterizedTest
  @ValueSource(
      strings = {
        "'{1,2,NULL}'::int4[] | 7::int4",
        "'{1,2}'::int2[] | 7::int2",
        "'{1,5000000000}'::int8[] | 7::int8",
        "'{1.50,NULL}'::numeric[] | 1.50::numeric",
        "'{0.1,NaN}'::float8[] | 0.5::float8",
        "'{0.1}'::float4[] | 0.5::float4",
        "'{a,NULL,\"b c\"}'::text[] | 'a'::text",
        "'{abc}'::varchar[] | 'a'::varchar",
        "'{abc}'::bpchar[] | 'a'::bpchar",
        "'{t,f}'::bool[] | true",
        "'{2026-05-01,NULL}'::date[] | '2026-05-01'::date",
        "'{12:30}'::time[] | '12:30'::time",
        "'{12:30+02}'::timetz[] | '12:30+02'::timetz",
        "'{2026-05-01 12:30}'::timestamp[] | '2026-05-01 12:30'::timestamp",
        "'{2026-05-01 12:30+02}'::timestamptz[] | '2026-05-01 12:30+02'::timestamptz",
        "'{1 day 2 hours}'::interval[] | '1 day 2 hours'::interval",
        "'{\"\\\\x01ff\",NULL}'::bytea[] | '\\x01ff'::bytea",
        "'{00000000-0000-0000-0000-000000000001}'::uuid[] | '00000000-0000-0000-0000-000000000001'::uuid",
        "'{\"{\\\"a\\\": 1}\"}'::jsonb[] | '{\"a\": 1}'::jsonb",
        "'{\"(1,2)\"}'::point[] | '(1,2)'::point",
        "'{\"[1,5)\"}'::int4range[] | '[1,5)'::int4range",
        "'{192.168.0.1}'::inet[] | '192.168.0.1'::inet",
        "'{101}'::bit(3)[] | B'101'",
      })
  void anArrayHoldsWhatItsElementsAreOnTheirOwn(String types) throws Exception {
    String array = types.substring(0, types.indexOf(" | "));
    String scalar = types.substring(types.indexOf(" | ") + 3);
    String type = array.substring(array.lastIndexOf("::") + 2);
    Map<String, Object> row =
        warm.query(
                "SELECT a, e, m FROM (VALUES ("
                    + array
                    + ", "
                    + scalar
                    + ", ARRAY["
                    + array
                    + ", "
                    + array
                    + "]::"
                    + type
                    + ")) v(a, e, m)")
            .asMaps()
            .only()
            .value();
    List<?> elements = (List<?>) row.get("a");
    assertThat(elements.get(0)).hasSameClassAs(row.get("e"));
    assertThat(elements.get(0).getClass().getName()).doesNotStartWith("org.postgresql");
    assertThat(elements.get(0)).isNotInstanceOf(java.util.Date.class);
    List<?> nested = (List<?>) row.get("m");
    assertThat(nested).hasSize(2);
    assertThat(nested.get(0).toString().replaceAll("@[0-9a-f]+", ""))
        .isEqualTo(elements.toString().replaceAll("@[0-9a-f]+", ""));
    assertThatThrownBy(elements::clear).isInstanceOf(UnsupportedOperationException.class);
    assertThatThrownBy(((List<?>) nested.get(0))::clear)
        .isInstanceOf(UnsupportedOperationException.class);
  }

  record Chart(int id, List<?> pieces) {}

  @Test
  void bytesAreNobodysButTheCallers() throws Exception {
    String text = "SELECT 1 AS id, ARRAY['\\x0102'::bytea, '\\x03'] AS pieces";
    ShelvedQuery<Chart> charts = warm.query(text).on("audited").as(Chart.class);
    ShelvedQuery<Map<String, Object>> maps = warm.query(text).on("audited").asMaps();
    charts.only();
    for (int i = 0; i < 3; i++) {
      byte[] mine = (byte[]) charts.only().value().pieces().get(0);
      assertThat(mine).containsExactly(1, 2);
      mine[0] = 99;
      byte[] mapped = (byte[]) ((List<?>) maps.only().value().get("pieces")).get(1);
      assertThat(mapped).containsExactly(3);
      mapped[0] = 99;
    }
    var meters = warm.shelf("audited").meters();
    Waiting.until(
        "an audit",
        () -> {
          charts.only(); // none is made for ten seconds after a connection was waited for
          return meters.snapshot().get(Finding.AGREED) > 0;
        });
    assertThat(meters.snapshot().get(Finding.NEVER)).isZero();
    assertThat(meters.snapshot().get(Finding.LATE)).isZero();
    ShelvedQuery<Blob> blobs =
        warm.query("SELECT 7 AS id, '\\x0a0b'::bytea AS content").as(Blob.class);
    blobs.only().value().content()[0] = 99;
    assertThat(blobs.only().origin()).isEqualTo(Origin.KEPT);
    assertThat(blobs.only().value().content()).containsExactly(10, 11);
  }

  @Test
  void aFirstRowThatIsNullIsNone() throws Exception {
    assertThat(warm.query("SELECT NULL::int").as(Integer.class).first().value()).isEmpty();
    assertThat(warm.query("SELECT 1 WHERE false").as(Integer.class).first().value()).isEmpty();
    assertThat(warm.query("SELECT 1").as(Integer.class).first().value()).hasValue(1);
  }

  @Test
  void whatDoesNotFitIsAnErrorThatUsersCanCatch() {
    assertThatThrownBy(() -> warm.query("SELECT 'a'").as(Integer.class).only())
        .isInstanceOf(MappingException.class)
        .hasMessageContaining("Integer");
  }

  @Test
  void listsOfAnythingMayBeBound() throws Exception {
    assertBound("SELECT count(*) FROM port WHERE id = ANY(:list)", List.of(), 0);
    assertBound("SELECT count(*) FROM port WHERE code = ANY(:list)", List.of(), 0);
    assertBound("SELECT count(*) FROM sailing WHERE day = ANY(:list)", List.of(), 0);
    assertBound("SELECT count(*) FROM port WHERE id = ANY(:list)", Arrays.asList(null, null), 0);
    assertBound("SELECT count(*) FROM port WHERE id = ANY(:list)", Arrays.asList(1, null, 2), 2);
    assertBound("SELECT count(*) FROM port WHERE id = ANY(:list)", List.of(1, 5_000_000_000L), 1);
    assertBound(
        "SELECT count(*) FROM port WHERE id = ANY(:list)",
        List.of((short) 1, (byte) 2, BigInteger.TEN.pow(30), new BigDecimal("3.0")),
        3);
    assertBound(
        "SELECT count(*) FROM (VALUES (0.5::float8), (2)) v(x) WHERE x = ANY(:list)",
        List.of(0.5, 2.0f),
        2);
    LocalDate day = LocalDate.of(2026, 5, 1);
    assertBound(
        "SELECT count(*) FROM (VALUES ('2026-05-01'::date)) v(x) WHERE x = ANY(:list)",
        List.of(day, day.plusDays(1)),
        1);
    Instant noon = Instant.parse("2026-05-01T12:00:00Z");
    assertBound(
        "SELECT count(*) FROM (VALUES ('2026-05-01 12:00Z'::timestamptz)) v(x) WHERE x = ANY(:list)",
        List.of(noon, OffsetDateTime.parse("2026-05-01T14:00:00+02:00")),
        1);
    assertBound(
        "SELECT count(*) FROM (VALUES ('2026-05-01 12:00'::timestamp)) v(x) WHERE x = ANY(:list)",
        List.of(LocalDateTime.parse("2026-05-01T12:00:00")),
        1);
    assertBound(
        "SELECT count(*) FROM (VALUES ('12:00'::time)) v(x) WHERE x = ANY(:list)",
        List.of(LocalTime.NOON),
        1);
    UUID id = new UUID(0, 1);
    assertBound(
        "SELECT count(*) FROM (VALUES ('" + id + "'::uuid)) v(x) WHERE x = ANY(:list)",
        List.of(id),
        1);
    assertBound(
        "SELECT count(*) FROM (VALUES ('\\x01ff'::bytea)) v(x) WHERE x = ANY(:list)",
        List.of(new byte[] {1, -1}),
        1);
    assertBound(
        "SELECT count(*) FROM (VALUES ('a\"b\\c')) v(x) WHERE x = ANY(:list)",
        List.of("a\"b\\c", "{}", "NULL"),
        1);
    assertBound(
        "SELECT count(*) FROM notice WHERE severity = ANY(:list)",
        List.of(Severity.INFORMATION, Severity.WARNING),
        Integer.parseInt(
            database.ask(
                "SELECT count(*) FROM notice WHERE severity IN ('INFORMATION', 'WARNING')")));
  }

  private void assertBound(String sql, List<?> list, int expected) throws Exception {
    ShelvedQuery<Integer> query = warm.query(sql).as(Integer.class);
    assertThat(query.with("list", list).only().value())
        .as("%s with %s", sql, list)
        .isEqualTo(expected);
    assertThat(query.with("list", new ArrayList<>(list)).only().origin()).isEqualTo(Origin.KEPT);
  }

  @Test
  void aFilterMayBeNull() throws Exception {
    for (String sql :
        List.of(
            "SELECT count(*) FROM port WHERE :id IS NULL OR id = :id",
            "SELECT count(*) FROM port WHERE (:id IS NULL OR id = :id) AND :id IS NOT NULL OR id < 0")) {
      ShelvedQuery<Integer> ports = warm.query(sql).as(Integer.class);
      ports.with("id", null).only();
      assertThat(ports.with("id", 3).only().value()).isEqualTo(1);
    }
    ShelvedQuery<Integer> all =
        warm.query("SELECT count(*) FROM port WHERE (:ids IS NULL OR id = ANY(:ids))")
            .as(Integer.class);
    assertThat(all.with("ids", null).only().value())
        .isEqualTo(Integer.parseInt(database.ask("SELECT count(*) FROM port")));
    assertThat(all.with("ids", List.of(1, 2)).only().value()).isEqualTo(2);
  }

  @Test
  void enumConstantsMayBeBoundToTextsAndToEnums() throws Exception {
    database.run(
        "CREATE TYPE severity AS ENUM ('INFORMATION', 'WARNING');"
            + "CREATE TABLE alarm AS SELECT 'WARNING'::severity AS severity");
    dev.warmshelf.journal.Journal.on(database.dataSource()).install(List.of("alarm"));
    Waiting.until(
        "the table is followed", () -> alarms("alarm").verdict().toString().contains("Keep"));
    assertThat(alarms("alarm").with("s", Severity.WARNING).only().value()).isEqualTo(1);
    assertThat(alarms("alarm").with("s", Severity.INFORMATION).only().value()).isZero();
    assertThat(alarms("alarm").with("s", "WARNING").key())
        .isEqualTo(alarms("alarm").with("s", Severity.WARNING).key());
    assertThat(alarms("notice").with("s", Severity.WARNING).only().value())
        .isEqualTo(
            Integer.parseInt(
                database.ask("SELECT count(*) FROM notice WHERE severity = 'WARNING'")));
  }

  private ShelvedQuery<Integer> alarms(String table) {
    return warm.query("SELECT count(*) FROM " + table + " WHERE severity = :s").as(Integer.class);
  }
}
