package dev.warmshelf;

import dev.warmshelf.postgres.Session;
import dev.warmshelf.row.Answer;
import dev.warmshelf.row.Binding;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** One query as the driver gets it, and what a connection makes of it. */
final class Loading {
  private final String text;
  private final String textWithSession;
  private final int[] order;
  private final String ambient;

  /**
   * @param text with question marks
   * @param order for each of them, the index of its value
   * @param ambient what sessions must be like for their answers to be shared
   */
  Loading(String text, int[] order, String ambient) {
    this.text = text;
    this.textWithSession = text + "\n;\n" + Session.ASK;
    this.order = order;
    this.ambient = ambient;
  }

  /**
   * Reads the answer, and in the same round trip, after it, whether others may share it: the
   * session is like the first one that was asked, and its transaction has not written.
   */
  Answer withSession(Connection connection, @Nullable Object[] values) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(textWithSession)) {
      Binding.bind(statement, values, order);
      if (!statement.execute()) {
        throw new SQLException("The statement gives no rows: " + text);
      }
      Answer answer;
      try (ResultSet rows = statement.getResultSet()) {
        answer = Answer.read(rows, true);
      }
      statement.getMoreResults();
      try (ResultSet row = statement.getResultSet()) {
        Session session = Session.read(row);
        boolean likeOthers = session.ambient().equals(ambient) && !session.replica();
        return likeOthers && !session.alone() ? answer : answer.forOneCaller();
      }
    }
  }

  /** Reads the answer for the caller alone. */
  Answer alone(Connection connection, @Nullable Object[] values) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(text)) {
      Binding.bind(statement, values, order);
      try (ResultSet rows = statement.executeQuery()) {
        return Answer.read(rows, false);
      }
    }
  }
}
