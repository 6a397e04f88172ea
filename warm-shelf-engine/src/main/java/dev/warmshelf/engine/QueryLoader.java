package dev.warmshelf.engine;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.answer.Binder;
import dev.warmshelf.answer.Binding;
import dev.warmshelf.database.Database;
import dev.warmshelf.database.Session;
import dev.warmshelf.plan.MendingPlan.Wanted;
import dev.warmshelf.statement.PartsText;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.Arrays;
import java.util.concurrent.atomic.AtomicInteger;
import org.jspecify.annotations.Nullable;

/** One query as the driver gets it, and what a connection makes of it. */
final class QueryLoader {
  /**
   * What servers have prepared of texts that were sent before is of no use any more: they have
   * another number.
   */
  private static final AtomicInteger RENEWED = new AtomicInteger();

  private final Database database;
  private final String text;
  private final int[] order;
  private final AnswerForm form;
  private final Binder binder;

  /**
   * An answer and the session that it was read in, as that was after it.
   *
   * @param answer nobody's but the caller's until somebody has looked at the session
   */
  record Loaded(Answer answer, Session session) {}

  /**
   * @param text with question marks
   * @param order for each of them, the index of its value
   */
  QueryLoader(Database database, String text, int[] order) {
    this(database, text, order, AnswerForm.VALUES, Binding::bind);
  }

  /**
   * @param form that the answer is to be kept in
   */
  QueryLoader(Database database, String text, int[] order, AnswerForm form, Binder binder) {
    this.database = database;
    this.text = text;
    this.order = order;
    this.form = form;
    this.binder = binder;
  }

  /** That answers are kept in. */
  AnswerForm form() {
    return form;
  }

  /** The same, whose values somebody else hands to the driver. */
  QueryLoader boundBy(Binder other) {
    return new QueryLoader(database, text, order, form, other);
  }

  /**
   * The same query for some parts of its answer alone; their list is one more value, after the
   * query's.
   *
   * @param width how many columns the answer has
   * @param values of the query, so many
   */
  QueryLoader of(Wanted wanted, int width, int values) {
    int[] longer = Arrays.copyOf(order, order.length + 1);
    longer[order.length] = values;
    Binder more =
        (statement, all, places) -> {
          binder.bind(statement, all, order);
          Binding.bind(statement, places.length, all[values]);
        };
    return new QueryLoader(
        database, PartsText.of(text, width, wanted.by(), "?"), longer, form, more);
  }

  /**
   * Whether a statement failed since what the server had prepared of it does not fit its tables any
   * more: a column has another type, or there is one more. Asked again it succeeds. Of a statement
   * alone the driver asks again by itself; of two in one round trip it does not.
   */
  boolean isOutdatedPlan(SQLException e) {
    boolean outdated = database.isOutdatedPlan(e);
    if (outdated) {
      RENEWED.incrementAndGet();
    }
    return outdated;
  }

  private String textWithSession() {
    int renewed = RENEWED.get();
    return text
        + (renewed == 0 ? "\n;\n" : "\n;\n/* " + renewed + " */ ")
        + database.asksForSession();
  }

  /**
   * Reads the answer, and in the same round trip, after it, what the session is like.
   *
   * @param callers whether the connection is the caller's
   */
  Loaded withSession(Connection connection, @Nullable Object[] values, boolean callers)
      throws SQLException {
    try (PreparedStatement statement = form.statement(connection, textWithSession(), callers)) {
      binder.bind(statement, values, order);
      if (!statement.execute()) {
        throw new SQLException("The statement gives no rows: " + text);
      }
      Answer answer;
      try (ResultSet rows = statement.getResultSet()) {
        answer = form.read(rows);
      }
      statement.getMoreResults();
      try (ResultSet row = statement.getResultSet()) {
        return new Loaded(answer, database.readSession(row));
      }
    }
  }

  /** Reads the answer alone. */
  Answer alone(Connection connection, @Nullable Object[] values) throws SQLException {
    try (PreparedStatement statement = form.statement(connection, text, true)) {
      binder.bind(statement, values, order);
      try (ResultSet rows = statement.executeQuery()) {
        return form.read(rows);
      }
    }
  }
}
