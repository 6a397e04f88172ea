package dev.warmshelf;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.Binding;
import dev.warmshelf.answer.ValueAnswer;
import dev.warmshelf.engine.Asking;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.shelf.Shelf.WriteThrough;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A statement that changes data, to be run once by one thread. Once it, or the transaction it is
 * part of, has returned, all answers that it touched are out; some may be replaced at once ({@link
 * #keep}).
 */
public final class Write {
  private static final Object UNSET = new Object();

  private final Engine engine;
  private final SqlStatement statement;
  private final @Nullable Transaction transaction;
  private final @Nullable Object[] values;
  private final List<Replacement> replacements = new ArrayList<>();

  /** An answer to keep once the write has been committed. */
  record Replacement(Asking question, @Nullable Answer given, WriteThrough mode) {}

  Write(Engine engine, SqlStatement statement, @Nullable Transaction transaction) {
    this.engine = engine;
    this.statement = statement;
    this.transaction = transaction;
    this.values = new @Nullable Object[statement.parameters().size()];
    Arrays.fill(values, UNSET);
  }

  /**
   * Gives a parameter its value.
   *
   * @param parameter its name without the colon; {@code "1"} is the first question mark
   * @throws IllegalArgumentException if the statement has no such parameter
   */
  public Write with(String parameter, @Nullable Object value) {
    int index = statement.parameters().indexOf(parameter);
    if (index < 0) {
      throw new IllegalArgumentException(
          "The statement has no parameter '"
              + parameter
              + "'; it has "
              + statement.parameters()
              + ".");
    }
    values[index] = value;
    return this;
  }

  /**
   * Keeps what the statement returns as the answer to this question: its {@code RETURNING} clause
   * must give the columns that the query gives. If somebody else changes the same meanwhile, the
   * answer is not kept, so the older of two values never stays. If nothing is returned, nothing is
   * kept. In a transaction this must be its last statement.
   */
  public Write keep(Question<?> question, WriteThrough mode) {
    replacements.add(new Replacement(question.asking(), null, mode));
    return this;
  }

  /**
   * Keeps these rows as the answer to this question, on the engineer's word that they will be the
   * answer once the write has been committed; else as {@link #keep(Question, WriteThrough)} does.
   *
   * @throws IllegalArgumentException if the rows hold what could be changed later
   */
  public <T> Write keep(Question<T> question, List<T> rows, WriteThrough mode) {
    replacements.add(
        new Replacement(question.asking(), ValueAnswer.of(rows, question.query().mapper()), mode));
    return this;
  }

  /**
   * Runs it.
   *
   * @return how many rows were changed, or returned
   * @throws SQLException if the database could not be asked
   */
  public int run() throws SQLException {
    Transaction inside = transaction;
    return inside != null ? inside.run(this) : Transaction.run(engine, alone -> alone.run(this));
  }

  SqlStatement statement() {
    return statement;
  }

  /** What the database can be asked about. */
  AnalysedText text() {
    return statement.analysedText(Binding.typesOf(values));
  }

  List<Replacement> replacements() {
    return replacements;
  }

  /** What sending the statement gave. */
  record Outcome(int rows, @Nullable Answer returned) {}

  Outcome send(Connection connection) throws SQLException {
    for (int i = 0; i < values.length; i++) {
      if (values[i] == UNSET) {
        String name = statement.parameters().get(i);
        throw new IllegalArgumentException(
            "Parameter '" + name + "' has no value. Call with(\"" + name + "\", ...).");
      }
    }
    String text = statement.driverText(parameter -> values[parameter] instanceof List<?>);
    try (PreparedStatement prepared = connection.prepareStatement(text)) {
      Binding.bind(prepared, values, statement.driverOrder());
      if (!prepared.execute()) {
        return new Outcome(Math.max(0, prepared.getUpdateCount()), null);
      }
      try (ResultSet rows = prepared.getResultSet()) {
        Answer returned = ValueAnswer.read(rows);
        return new Outcome(returned.size(), returned);
      }
    }
  }
}
