package dev.warmshelf.row;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;

/** A form that answers are kept in. Answers of different forms are never mixed. */
public interface AnswerForm {
  /** Values, for callers who have rows mapped to objects. */
  AnswerForm VALUES =
      new AnswerForm() {
        @Override
        public Answer read(ResultSet rows) throws SQLException {
          return ValueAnswer.read(rows);
        }
      };

  /**
   * A statement whose results can be read in this form.
   *
   * @param callers whether the connection is a caller's: then it must not fail where his own
   *     statement would not
   * @throws SQLException if the driver does not make one
   */
  default PreparedStatement statement(Connection connection, String sql, boolean callers)
      throws SQLException {
    return connection.prepareStatement(sql);
  }

  /**
   * Reads a result to its end.
   *
   * @throws SQLException if the database could not be asked
   */
  Answer read(ResultSet rows) throws SQLException;
}
