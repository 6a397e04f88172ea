package dev.warmshelf;

import dev.warmshelf.key.Form;
import dev.warmshelf.row.Mapper;
import dev.warmshelf.sql.SqlStatement;

/** A query in the making: its text is known, what its rows become is not yet. */
public final class QueryDraft {
  private final WarmShelf warm;
  private final SqlStatement statement;
  private String shelf = WarmShelf.MAIN_SHELF;

  QueryDraft(WarmShelf warm, SqlStatement statement) {
    this.warm = warm;
    this.statement = statement;
  }

  /**
   * Chooses the shelf to keep the answers on; without this it is {@link WarmShelf#MAIN_SHELF}.
   *
   * @throws IllegalArgumentException if there is no shelf of that name
   */
  public QueryDraft on(String name) {
    warm.shelf(name);
    this.shelf = name;
    return this;
  }

  /**
   * Finishes the query.
   *
   * @param type a record, filled by its components' names, or the type of a single column
   * @throws IllegalArgumentException if rows cannot become that type
   */
  public <T> ShelvedQuery<T> as(Class<T> type) {
    Form form = Form.of(warm.namespace(), statement.normalForm());
    return new ShelvedQuery<>(warm, warm.shelf(shelf), statement, form, Mapper.to(type));
  }
}
