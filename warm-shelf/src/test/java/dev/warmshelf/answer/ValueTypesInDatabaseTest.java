package dev.warmshelf.answer;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.key.ValueType;
import dev.warmshelf.statement.AnalysedText;
import java.math.BigDecimal;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.OffsetTime;
import java.time.ZoneOffset;
import java.util.Arrays;
import java.util.List;
import java.util.UUID;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;

/** Each type that has a name in SQL goes to the database and comes back as what it was. */
class ValueTypesInDatabaseTest {
  private static Connection connection;

  @BeforeAll
  static void connect() throws SQLException {
    connection = TestDatabase.create().dataSource().getConnection();
  }

  @AfterAll
  static void disconnect() throws SQLException {
    connection.close();
  }

  private static Object sample(ValueType type) {
    return switch (type) {
      case TEXT -> "Å";
      case BOOLEAN -> true;
      case SHORT -> (short) 300;
      case INTEGER -> 70_000;
      case LONG -> 1L << 40;
      case DECIMAL -> new BigDecimal("1.50");
      case FLOAT -> 1.5f;
      case DOUBLE -> 1.5e300;
      case DATE -> LocalDate.of(2026, 5, 1);
      case TIME -> LocalTime.of(9, 30);
      case OFFSET_TIME -> OffsetTime.parse("09:30+02:00");
      case DATE_TIME -> LocalDateTime.parse("2026-05-01T09:30");
      case OFFSET_DATE_TIME -> OffsetDateTime.of(2026, 5, 1, 9, 30, 0, 0, ZoneOffset.UTC);
      case UUID -> new UUID(1, 2);
      case BYTES -> new byte[] {1, 0, -1};
      case BYTE, BIG_INTEGER, ZONED_DATE_TIME, INSTANT -> null; // bound as another of these
    };
  }

  @ParameterizedTest
  @EnumSource
  void aValueAndAListOfItComeBack(ValueType type) throws Exception {
    Object value = sample(type);
    assertThat(type.sqlName() == null).isEqualTo(value == null);
    if (value == null) {
      return;
    }
    assertThat(Binding.typeOf(value)).isNotEqualTo(AnalysedText.UNKNOWN);
    assertThat(Binding.typeOf(List.of(value))).isEqualTo(type.sqlName() + "[]");
    Object list = Arrays.asList(value, null);
    List<Object> back = asked(type, value, list);
    assertThat(back.get(0)).isEqualTo(read(value));
    assertThat(back.get(1))
        .asInstanceOf(org.assertj.core.api.InstanceOfAssertFactories.LIST)
        .usingRecursiveFieldByFieldElementComparator()
        .containsExactly(read(value), null);
  }

  /** The driver reads whole numbers of sixteen bits as of 32. */
  private static Object read(Object value) {
    return value instanceof Short small ? (Object) small.intValue() : value;
  }

  private static List<Object> asked(ValueType type, Object value, Object list) throws SQLException {
    String sql = "SELECT CAST(? AS %1$s), CAST(? AS %1$s[])".formatted(type.sqlName());
    try (PreparedStatement statement = connection.prepareStatement(sql)) {
      Binding.bind(statement, new Object[] {value, list}, new int[] {0, 1});
      try (ResultSet row = statement.executeQuery()) {
        Answer answer = ValueAnswer.read(row);
        return Arrays.asList(answer.value(0, 0), answer.value(0, 1));
      }
    }
  }
}
