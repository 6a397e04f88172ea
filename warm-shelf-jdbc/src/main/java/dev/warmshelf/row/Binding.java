package dev.warmshelf.row;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Types;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** Hands parameter values to a driver. */
public final class Binding {
  private Binding() {}

  /**
   * @param order for each question mark of the statement, the index of its value
   */
  public static void bind(PreparedStatement statement, @Nullable Object[] values, int[] order)
      throws SQLException {
    for (int i = 0; i < order.length; i++) {
      bind(statement, i + 1, values[order[i]]);
    }
  }

  private static void bind(PreparedStatement statement, int at, @Nullable Object value)
      throws SQLException {
    if (value == null) {
      statement.setNull(at, Types.NULL);
    } else if (value instanceof Instant instant) {
      statement.setObject(at, instant.atOffset(ZoneOffset.UTC));
    } else if (value instanceof ZonedDateTime moment) {
      statement.setObject(at, moment.toOffsetDateTime());
    } else if (value instanceof BigInteger whole) {
      statement.setObject(at, new BigDecimal(whole));
    } else if (value instanceof Byte small) {
      statement.setObject(at, small.shortValue());
    } else if (value instanceof byte[] raw) {
      statement.setBytes(at, raw);
    } else if (value instanceof List<?> list) {
      statement.setArray(at, arrayOf(statement.getConnection(), list));
    } else {
      statement.setObject(at, value);
    }
  }

  private static java.sql.Array arrayOf(Connection connection, List<?> list) throws SQLException {
    Object first = null;
    for (Object element : list) {
      first = first == null ? element : first;
    }
    String type =
        first instanceof Integer
            ? "int4"
            : first instanceof Long
                ? "int8"
                : first instanceof Short
                    ? "int2"
                    : first instanceof BigDecimal
                        ? "numeric"
                        : first instanceof UUID
                            ? "uuid"
                            : first instanceof Boolean ? "bool" : "text";
    return connection.createArrayOf(type, list.toArray());
  }
}
