package dev.warmshelf.measure.database;

import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.ResultSetMetaData;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** Statements asked with plain JDBC, as a program without a shelf would. */
public final class PlainJdbc {
  private PlainJdbc() {}

  /**
   * Binds inputs by their names.
   *
   * @param statement prepared from {@link SqlStatement#driverText}
   * @throws SQLException if the database could not be asked
   */
  public static void bind(PreparedStatement statement, SqlStatement sql, Map<String, Object> inputs)
      throws SQLException {
    int[] order = sql.driverOrder();
    for (int i = 0; i < order.length; i++) {
      statement.setObject(i + 1, inputs.get(sql.parameters().get(order[i])));
    }
  }

  /**
   * Asks, and reads all rows.
   *
   * @throws SQLException if the database could not be asked
   */
  public static void ask(Connection connection, SqlStatement sql, Map<String, Object> inputs)
      throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(sql.driverText())) {
      bind(statement, sql, inputs);
      try (ResultSet result = statement.executeQuery()) {
        while (result.next()) {
          result.getObject(1);
        }
      }
    }
  }

  /**
   * All rows, each by column label; of several columns of one label the last.
   *
   * @throws SQLException if the database could not be asked
   */
  public static List<Map<String, @Nullable Object>> rows(ResultSet result) throws SQLException {
    ResultSetMetaData meta = result.getMetaData();
    int width = meta.getColumnCount();
    List<Map<String, @Nullable Object>> rows = new ArrayList<>();
    while (result.next()) {
      Map<String, @Nullable Object> row = new HashMap<>();
      for (int i = 1; i <= width; i++) {
        row.put(meta.getColumnLabel(i), result.getObject(i));
      }
      rows.add(row);
    }
    return rows;
  }
}
