package dev.warmshelf;

import dev.warmshelf.Verdicts.Judged;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.row.Answer;
import dev.warmshelf.row.Binding;
import dev.warmshelf.row.Mapper;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.Verdict;
import dev.warmshelf.sql.tree.Refusal;
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
  private final QueryLoader loading;
  private final int[] mayBeLists;
  private final List<String> declared;
  private final List<Lane> tags;
  private final KeyMaker keys;
  private final Mapper<T> mapper;
  private volatile @Nullable Last last;

  final Function<Answer, List<T>> asList;
  final Function<Answer, Optional<T>> asFirst;
  final Function<Answer, T> asOnly;

  /** The last verdict, which is nearly always the next. */
  private static final class Last {
    private final Sessions.Kind kind;
    private final @Nullable Class<?>[] classes;
    private final List<String> types;
    private final Judged judged;

    Last(Sessions.Kind kind, @Nullable Object[] values, List<String> types, Judged judged) {
      this.kind = kind;
      this.classes = new @Nullable Class<?>[values.length];
      for (int i = 0; i < values.length; i++) {
        Object value = values[i];
        classes[i] = value == null ? null : value.getClass();
      }
      this.types = types;
      this.judged = judged;
    }

    boolean isOfTypesOf(@Nullable Object[] values) {
      for (int i = 0; i < values.length; i++) {
        Object value = values[i];
        boolean alike =
            value instanceof List<?>
                ? Binding.typeOf(value).equals(types.get(i))
                : (value == null ? null : value.getClass()) == classes[i];
        if (!alike) {
          return false;
        }
      }
      return true;
    }
  }

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
    this.loading = new QueryLoader(statement.driverText(), statement.driverOrder());
    this.mayBeLists = statement.mayBeLists().stream().mapToInt(Integer::intValue).toArray();
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

  /**
   * All rows. See {@link Question#list()}.
   *
   * @throws SQLException if the database could not be asked
   */
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
   * Whether the answers may be kept, with the footprint or the reason, as far as that can be told
   * before the parameters have values.
   *
   * @throws SQLException if the database could not be asked, or only over a connection whose
   *     session is unlike the others
   */
  public Verdict verdict() throws SQLException {
    List<String> types = statement.unknownTypes();
    Sessions.Kind kind = warm.sessions().first();
    Judged found = warm.verdicts().judged(statement, types, declared, kind, Verdicts.ANY);
    if (found == null) {
      throw new SQLException("The data source hands out sessions that are not alike.");
    }
    return found.verdict();
  }

  /**
   * The verdict for values and a kind of session; null as {@link Verdicts#judged} says.
   *
   * @param over how to ask the database if it must be asked
   */
  @Nullable Judged judged(@Nullable Object[] values, Sessions.Kind kind, Verdicts.Over over)
      throws SQLException {
    Last known = last;
    if (known != null
        && known.kind == kind
        && known.isOfTypesOf(values)
        && known.judged.holdsFor(warm.schemaVersion())) {
      return known.judged;
    }
    List<String> types = Binding.typesOf(values);
    Judged judged = warm.verdicts().judged(statement, types, declared, kind, over);
    if (judged != null) {
      last = new Last(kind, values, types, judged);
    }
    return judged;
  }

  /** A read of this query went to the database, since it is refused. */
  void wasRefused(Refusal refusal) {
    warm.verdicts().refusals().count(statement, refusal);
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

  /** How the database is asked with these values: a list in {@code IN (...)} goes as an array. */
  QueryLoader loading(@Nullable Object[] values) {
    for (int parameter : mayBeLists) {
      if (values[parameter] instanceof List<?>) {
        return new QueryLoader(
            statement.driverText(each -> values[each] instanceof List<?>), statement.driverOrder());
      }
    }
    return loading;
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
