package dev.warmshelf.row;

import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;

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
   * Tells a statement what it must know before it is executed.
   *
   * @throws SQLException if the driver does not take it
   */
  default void prepare(Statement statement) throws SQLException {}

  /**
   * Reads a result to its end.
   *
   * @throws SQLException if the database could not be asked
   */
  Answer read(ResultSet rows) throws SQLException;
}
