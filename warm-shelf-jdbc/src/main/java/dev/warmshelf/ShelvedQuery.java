package dev.warmshelf;

import dev.warmshelf.key.Lane;
import dev.warmshelf.row.Answer;
import dev.warmshelf.row.Mapper;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.sql.CatalogueException;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.StatementKind;
import dev.warmshelf.sql.Verdict;
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
  private volatile @Nullable Judged last;

  final Function<Answer, List<T>> asList;
  final Function<Answer, Optional<T>> asFirst;
  final Function<Answer, T> asOnly;

  /**
   * @param schemaVersion of the schema for which the verdict holds
   */
  private record Judged(long schemaVersion, Verdict verdict) {}

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
    this.loading = new Loading(statement.driverText(), statement.driverOrder(), warm.ambient());
    this.kind = StatementKind.of(statement.text());
    this.declared = declared;
    this.tags = tags;
    this.keys = keys;
    this.mapper = mapper;
    this.asList = answer -> answer.as(this.mapper);
    this.asFirst = answer -> answer.as(this.mapper).stream().findFirst();
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
   * @throws SQLException if the database's catalogue could not be asked
   */
  public Verdict verdict() throws SQLException {
    long version = warm.schemaVersion();
    Judged judged = last;
    if (judged == null || judged.schemaVersion() != version) {
      judged = new Judged(version, analyse(version));
      last = judged;
    }
    return judged.verdict();
  }

  private Verdict analyse(long schemaVersion) throws SQLException {
    try {
      return warm.analyse(statement, declared, schemaVersion);
    } catch (CatalogueException e) {
      throw e.getCause() instanceof SQLException cause ? cause : new SQLException(e);
    }
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
    List<T> rows = answer.as(mapper);
    if (rows.size() != 1) {
      throw new IllegalStateException(
          "Expected exactly one row, but the answer has "
              + rows.size()
              + ". Use first() or list() for: "
              + statement.normalForm());
    }
    return rows.get(0);
  }
}
