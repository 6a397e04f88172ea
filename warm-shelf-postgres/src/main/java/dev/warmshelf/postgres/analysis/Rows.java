package dev.warmshelf.postgres.analysis;

import java.sql.Array;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** The results of several statements that are sent in one round trip. Not thread-safe. */
final class Rows implements AutoCloseable {
  private final Statement statement;
  private boolean isResult;
  private boolean isFirst = true;

  private Rows(Statement statement) {
    this.statement = statement;
  }

  /** Sends statements that end in semicolons. */
  static Rows ask(Connection connection, String sql) throws SQLException {
    Statement statement = connection.createStatement();
    try {
      Rows rows = new Rows(statement);
      rows.isResult = statement.execute(sql);
      return rows;
    } catch (SQLException e) {
      statement.close();
      throw e;
    }
  }

  /** The rows of the next statement that gives any. */
  ResultSet next() throws SQLException {
    if (!isFirst) {
      isResult = statement.getMoreResults();
    }
    isFirst = false;
    while (!isResult) {
      if (statement.getUpdateCount() < 0) {
        throw new SQLException("The database gave fewer results than it was asked for.");
      }
      isResult = statement.getMoreResults();
    }
    return statement.getResultSet();
  }

  /** An array of numbers without zeros and nulls. */
  static List<Long> numbers(@Nullable Array array) throws SQLException {
    List<Long> numbers = new ArrayList<>();
    if (array != null) {
      for (Object element : (Object[]) array.getArray()) {
        if (element instanceof Number number && number.longValue() != 0) {
          numbers.add(number.longValue());
        }
      }
    }
    return numbers;
  }

  static List<String> texts(@Nullable Array array) throws SQLException {
    List<String> texts = new ArrayList<>();
    if (array != null) {
      for (Object element : (Object[]) array.getArray()) {
        if (element != null) {
          texts.add(element.toString());
        }
      }
    }
    return texts;
  }

  @Override
  public void close() throws SQLException {
    statement.close();
  }
}
