package dev.warmshelf.measure.run;

import dev.warmshelf.measure.database.PlainJdbc;
import dev.warmshelf.measure.text.DatabaseErrors;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.Workload;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import javax.sql.DataSource;

/** What a database does not answer: tables that are not there, types that nobody has told it. */
public final class Refused {
  private Refused() {}

  /**
   * Asks each of these once, in a transaction that may read only.
   *
   * @return the statements that the database refuses for themselves, with the reason in words
   * @throws SQLException if the database cannot be asked at all
   */
  public static Map<Workload.Statement, String> among(DataSource dataSource, List<Request> samples)
      throws SQLException {
    Map<Workload.Statement, String> refused = new LinkedHashMap<>();
    try (Connection connection = dataSource.getConnection()) {
      connection.setAutoCommit(false);
      connection.setReadOnly(true);
      for (Request sample : samples) {
        try {
          PlainJdbc.ask(connection, sample.query().sql(), sample.inputs());
        } catch (SQLException e) {
          if (!DatabaseErrors.isOfStatement(e)) {
            throw e;
          }
          refused.put(sample.query(), DatabaseErrors.inWords(e));
        } finally {
          connection.rollback();
        }
      }
    }
    return refused;
  }
}
