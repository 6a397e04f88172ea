package dev.warmshelf;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.answer.Mapper;
import dev.warmshelf.answer.ValueAnswer;
import dev.warmshelf.engine.AskedStatements;
import dev.warmshelf.engine.KeptStatement;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.statement.Verdict;
import java.sql.SQLException;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/**
 * A query whose answers are kept. Made once, asked many times, by any number of threads.
 *
 * @param <T> what a row is mapped to
 */
public final class ShelvedQuery<T> implements ReferenceData.Source<T> {
  private final KeptStatement statement;
  private final Mapper<T> mapper;
  private final AskedStatements.Count count;

  final Function<Answer, List<T>> asList;
  final Function<Answer, Optional<T>> asFirst;
  final Function<Answer, T> asOnly;

  ShelvedQuery(KeptStatement statement, Mapper<T> mapper, AskedStatements.Count count) {
    this.statement = statement;
    this.mapper = mapper;
    this.count = count;
    this.asList = answer -> values(answer).as(this.mapper);
    this.asFirst =
        answer ->
            answer.size() == 0
                ? Optional.empty()
                : Optional.ofNullable(values(answer).as(this.mapper, 0));
    this.asOnly = this::only;
  }

  /** Begins a question; its parameters are still to be given. */
  public Question<T> question() {
    return new Question<>(this);
  }

  /**
   * Begins a question by giving a parameter its value.
   *
   * @param parameter its name without the colon; {@code "1"} is the first question mark
   * @throws IllegalArgumentException if the query has no such parameter
   */
  public Question<T> with(String parameter, @Nullable Object value) {
    return question().with(parameter, value);
  }

  /**
   * All rows. See {@link Question#list()}.
   *
   * @throws SQLException if the database could not be asked
   */
  @Override
  public Reading<List<T>> list() throws SQLException {
    return question().list();
  }

  /**
   * The first row, or none. See {@link Question#first()}.
   *
   * @throws SQLException if the database could not be asked
   */
  public Reading<Optional<T>> first() throws SQLException {
    return question().first();
  }

  /**
   * The only row. See {@link Question#only()}.
   *
   * @throws SQLException if the database could not be asked
   */
  public Reading<T> only() throws SQLException {
    return question().only();
  }

  /**
   * Why the answers may not be kept, in words, as far as that can be told before the parameters
   * have values; empty if they may be.
   *
   * @throws SQLException if the database could not be asked, or only over a connection whose
   *     session is unlike the others
   */
  public Optional<String> refusal() throws SQLException {
    return verdict() instanceof Verdict.Refused refused
        ? Optional.of(refused.refusal().message())
        : Optional.empty();
  }

  /**
   * All tables that an answer may have been read from, with their schemas; empty if the answers may
   * not be kept.
   *
   * @throws SQLException as {@link #refusal} does
   */
  public List<String> tables() throws SQLException {
    return verdict() instanceof Verdict.Keepable keepable
        ? keepable.tables().lanes().stream().map(Lane::name).toList()
        : List.of();
  }

  /**
   * The verdict with all its parts, for the library's own tools: its type is none of a program's.
   *
   * @throws SQLException as {@link #refusal} does
   */
  @SuppressWarnings("exports") // to those tools it is
  public Verdict verdict() throws SQLException {
    return statement.verdict();
  }

  /**
   * Fails where the answers may not be kept: for a query that must be, called once when it is made.
   *
   * @return this query
   * @throws IllegalStateException if the statement is refused, with the reason and what to do
   * @throws SQLException as {@link #refusal} does
   */
  public ShelvedQuery<T> requireKeepable() throws SQLException {
    Optional<String> why = refusal();
    if (why.isPresent()) {
      throw new IllegalStateException(
          "The answers of this query cannot be kept: " + why.get() + ". In: " + statement.text());
    }
    return this;
  }

  /**
   * The query's rows as a list that is looked up in memory.
   *
   * @throws IllegalArgumentException if the query has parameters
   * @throws IllegalStateException if its answers may not be kept, with the reason
   * @throws SQLException as {@link #refusal} does
   */
  public ReferenceData<T> asReferenceData() throws SQLException {
    if (statement.keys().parameters().length > 0) {
      throw new IllegalArgumentException(
          "A list that is kept whole has no parameters, but this has "
              + statement.keys().parameterList()
              + ": "
              + normalForm());
    }
    ShelvedQuery<T> keepable = requireKeepable();
    statement.isUsedUnseen();
    return new ReferenceData<>(keepable);
  }

  /** The shelf the answers are kept on. */
  @Override
  public Shelf shelf() {
    return statement.shelf();
  }

  /** The statement as the engineer wrote it. */
  public String text() {
    return statement.text();
  }

  /** The statement in normal form. */
  public String normalForm() {
    return statement.normalForm();
  }

  KeptStatement statement() {
    return statement;
  }

  Mapper<T> mapper() {
    return mapper;
  }

  AskedStatements.Count count() {
    return count;
  }

  private T only(Answer answer) {
    if (answer.size() != 1) {
      throw new IllegalStateException(
          "Expected exactly one row, but the answer has "
              + answer.size()
              + ". Use first() or list() for: "
              + statement.normalForm());
    }
    return values(answer).as(mapper, 0);
  }

  private static ValueAnswer values(Answer answer) {
    return (ValueAnswer) answer;
  }
}
