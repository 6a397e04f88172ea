package dev.warmshelf.answer;

import java.nio.BufferUnderflowException;
import java.nio.ByteBuffer;
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

        @Override
        public Answer readWritten(ByteBuffer columns, ByteBuffer rows) {
          return ValueAnswer.readWritten(columns, rows);
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

  /**
   * Makes an answer of this form again.
   *
   * @param columns as {@link Answer#writeColumns} wrote them
   * @param rows as {@link Answer#writeRows} wrote them
   * @throws IllegalArgumentException if they are no answer of this form
   * @throws BufferUnderflowException if they end too early
   */
  Answer readWritten(ByteBuffer columns, ByteBuffer rows);
}
