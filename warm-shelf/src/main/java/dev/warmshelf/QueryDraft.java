package dev.warmshelf;

import dev.warmshelf.answer.Mapper;
import dev.warmshelf.answer.Mappers;
import dev.warmshelf.base.Library;
import dev.warmshelf.engine.AskedStatements;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.engine.KeptStatement;
import dev.warmshelf.engine.KeyMaker;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.statement.SqlStatement;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** A query in the making: its text is known, what its rows become is not yet. */
public final class QueryDraft {
  private final Engine engine;
  private final SqlStatement statement;
  private String name = "";
  private String shelf = Library.MAIN_SHELF;
  private Recipe recipe = Recipe.plain();
  private List<String> declared = List.of();
  private List<Lane> tags = List.of();

  QueryDraft(Engine engine, SqlStatement statement) {
    this.engine = engine;
    this.statement = statement;
  }

  /**
   * Names the query, for whoever looks from outside: metrics, {@code shelf statements} and the live
   * page. Without a name its form's digest stands for it.
   *
   * @param called short, and the same for each start of the program; no line breaks or tabulators
   * @throws IllegalArgumentException if it has one, or is empty
   */
  public QueryDraft named(String called) {
    if (called.isBlank() || called.chars().anyMatch(Character::isISOControl)) {
      throw new IllegalArgumentException(
          "A query's name is a word or some, on one line, but is '" + called + "'.");
    }
    this.name = called;
    return this;
  }

  /**
   * Chooses the shelf to keep the answers on; without this it is {@link WarmShelf#MAIN_SHELF}.
   *
   * @throws IllegalArgumentException if there is no shelf of that name
   */
  public QueryDraft on(String name) {
    engine.shelf(name);
    this.shelf = name;
    return this;
  }

  /** Says what the key depends on, beside what the shelf's recipe says. */
  public QueryDraft keyedBy(Recipe word) {
    recipe = recipe.and(word);
    return this;
  }

  /**
   * Declares all tables that the query reads, for a statement that is not understood or calls a
   * function that may read tables. It is the engineer's word: a table that is missing here makes
   * answers that are never invalidated. Statements that are refused for another reason stay
   * refused.
   *
   * @param tables names as SQL writes them
   */
  public QueryDraft reading(String... tables) {
    declared = Arrays.stream(tables).sorted().distinct().toList();
    return this;
  }

  /** Tags all answers of the query; see {@link WarmShelf#clearTag}. */
  public QueryDraft tagged(String... names) {
    tags = Arrays.stream(names).map(Lane::ofTag).toList();
    return this;
  }

  /**
   * Finishes the query.
   *
   * @param type a record, filled by its components' names, or the type of a single column
   * @throws IllegalArgumentException if rows cannot become that type, or the recipe does not fit
   *     the statement
   */
  public <T> ShelvedQuery<T> as(Class<T> type) {
    return as(Mappers.to(type));
  }

  /**
   * Finishes the query: each row is an unmodifiable map from column label to value, for programs
   * that do not know the columns beforehand. Such answers cannot be replaced by a {@link Write}.
   */
  public ShelvedQuery<Map<String, @Nullable Object>> asMaps() {
    return as(Mappers.toMaps());
  }

  /**
   * Finishes the query: each row is an unmodifiable list of its columns' values in their order, for
   * programs that do not know the columns beforehand; several may have one label. Such answers
   * cannot be replaced by a {@link Write}.
   */
  public ShelvedQuery<List<@Nullable Object>> asLists() {
    return as(Mappers.toLists());
  }

  /** Finishes it as one that the library asks for itself. */
  ShelvedQuery<?> asRoster(AnswerShelf on) {
    return of(Mappers.toMaps(), on, AskedStatements.apart(statement));
  }

  private <T> ShelvedQuery<T> as(Mapper<T> mapper) {
    engine.remember(statement);
    AskedStatements.Count count = engine.asked().of(name, statement);
    count.stands(Rule.keptOn(shelf));
    return of(mapper, engine.shelf(shelf), count);
  }

  private <T> ShelvedQuery<T> of(Mapper<T> mapper, AnswerShelf on, AskedStatements.Count count) {
    KeyMaker keys =
        new KeyMaker(
            engine.namespace(),
            statement,
            declared.stream().map(table -> "reading " + table).toList(),
            engine.recipeOf(shelf).foldingOf(statement.parameters()).and(recipe),
            engine.sessions().areNamed());
    return new ShelvedQuery<>(
        new KeptStatement(engine, on, statement, declared, tags, keys), mapper, count);
  }
}
