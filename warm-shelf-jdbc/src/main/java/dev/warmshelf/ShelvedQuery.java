package dev.warmshelf;

import dev.warmshelf.Verdicts.Judged;
import dev.warmshelf.key.Lane;
import dev.warmshelf.row.Answer;
import dev.warmshelf.row.Mapper;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.sql.Refusal;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.StatementKind;
import dev.warmshelf.sql.Verdict;
import java.sql.Connection;
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
public final class ShelvedQuery<T> {
  private final WarmShelf warm;
  private final Shelf shelf;
  private final SqlStatement statement;
  private final Loading loading;
  private final StatementKind kind;
  private final List<String> declared;
  private final List<Lane> tags;
  private final KeyMaker keys;
  private final Mapper<T> mapper;
  private volatile @Nullable Last last;

  final Function<Answer, List<T>> asList;
  final Function<Answer, Optional<T>> asFirst;
  final Function<Answer, T> asOnly;

  /** The last verdict, which is nearly always the next. */
  private record Last(Sessions.Kind kind, Judged judged) {}

  ShelvedQuery(
      WarmShelf warm,
      Shelf shelf,
      SqlStatement statement,
      List<String> declared,
      List<Lane> tags,
      KeyMaker keys,
      Mapper<T> mapper) {
    this.warm = warm;
    this.shelf = shelf;
    this.statement = statement;
    this.loading = new Loading(statement.driverText(), statement.driverOrder());
    this.kind = StatementKind.of(statement.text());
    this.declared = declared;
    this.tags = tags;
    this.keys = keys;
    this.mapper = mapper;
    this.asList = answer -> answer.as(this.mapper);
    this.asFirst =
        answer ->
            answer.size() == 0 ? Optional.empty() : Optional.ofNullable(answer.as(this.mapper, 0));
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

  /** All rows. See {@link Question#list()}. */
  public Reading<List<T>> list() throws SQLException {
    return question().list();
  }

  /** The first row, or none. See {@link Question#first()}. */
  public Reading<Optional<T>> first() throws SQLException {
    return question().first();
  }

  /** The only row. See {@link Question#only()}. */
  public Reading<T> only() throws SQLException {
    return question().only();
  }

  /**
   * Whether the answers may be kept, with the footprint or the reason.
   *
   * @throws SQLException if the database's catalogue could not be asked, or was asked over a
   *     connection whose session is unlike the others
   */
  public Verdict verdict() throws SQLException {
    Judged known = judged(warm.sessions().first(), null);
    if (known == null) {
      throw new SQLException("The data source hands out sessions that are not alike.");
    }
    return known.verdict();
  }

  /**
   * The verdict for a kind of session; null if the database could only be asked in another.
   *
   * @param held the connection to ask over if one must be asked; null for any
   */
  @Nullable Judged judged(Sessions.Kind kind, @Nullable Connection held) throws SQLException {
    Last known = last;
    if (known != null
        && known.kind() == kind
        && known.judged().schemaVersion() == warm.schemaVersion()) {
      return known.judged();
    }
    Judged judged = warm.judged(asked(kind), kind, held);
    if (judged != null) {
      last = new Last(kind, judged);
    }
    return judged;
  }

  /** The same over a connection that may see what it has changed itself: not for others. */
  @Nullable Judged judgedAfterWrite(Sessions.Kind kind, Connection held) throws SQLException {
    return warm.judgedAfterWrite(asked(kind), kind, held);
  }

  private Verdicts.Asked asked(Sessions.Kind kind) {
    return new Verdicts.Asked(statement, declared, kind.ambient());
  }

  /** A read of this query went to the database, since it is refused. */
  void wasRefused(Refusal refusal) {
    warm.wasRefused(statement, refusal);
  }

  /**
   * Fails where the answers may not be kept: for a query that must be, called once when it is made.
   *
   * @return this query
   * @throws IllegalStateException if the statement is refused, with the reason and what to do
   * @throws SQLException as {@link #verdict} does
   */
  public ShelvedQuery<T> requireKeepable() throws SQLException {
    if (verdict() instanceof Verdict.Refused refused) {
      throw new IllegalStateException(
          "The answers of this query cannot be kept: "
              + refused.refusal().message()
              + ". In: "
              + statement.text());
    }
    return this;
  }

  /** The shelf the answers are kept on. */
  public Shelf shelf() {
    return shelf;
  }

  /** The statement as the engineer wrote it. */
  public String text() {
    return statement.text();
  }

  /** The statement in normal form. */
  public String normalForm() {
    return statement.normalForm();
  }

  WarmShelf warm() {
    return warm;
  }

  KeyMaker keys() {
    return keys;
  }

  Loading loading() {
    return loading;
  }

  StatementKind kind() {
    return kind;
  }

  List<Lane> tags() {
    return tags;
  }

  Mapper<T> mapper() {
    return mapper;
  }

  private T only(Answer answer) {
    if (answer.size() != 1) {
      throw new IllegalStateException(
          "Expected exactly one row, but the answer has "
              + answer.size()
              + ". Use first() or list() for: "
              + statement.normalForm());
    }
    return answer.as(mapper, 0);
  }
}
