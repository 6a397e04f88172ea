package dev.warmshelf.statement;

import dev.warmshelf.base.Generations;
import dev.warmshelf.statement.text.SqlTextException;
import java.util.Collection;
import java.util.concurrent.atomic.AtomicBoolean;

/**
 * Texts that have been read before, so that reading one again costs a lookup; and which of them are
 * queries. Bounded in bytes: a program that glues values into its SQL makes a new text each time,
 * and must not fill the heap.
 *
 * <p>Thread-safe. A lookup of a text that is in use takes no lock.
 */
public final class StatementMemory {
  /** Eight mebibytes, about. */
  private static final long STANDARD_BYTES = 8L << 20;

  private final Generations<String, Known> texts;

  private record Known(SqlStatement statement, AtomicBoolean isQuery) {}

  /** Remembers nothing yet. */
  public StatementMemory() {
    this(STANDARD_BYTES);
  }

  /**
   * @param mostBytes about how much memory to use at most
   */
  public StatementMemory(long mostBytes) {
    this.texts = new Generations<>(mostBytes, (text, known) -> known.statement().bytes());
  }

  /**
   * The statement of a text.
   *
   * @throws SqlTextException as {@link SqlStatement#of} does; nothing is remembered then
   */
  public SqlStatement of(String text) {
    Known known = texts.get(text);
    if (known == null) {
      known = new Known(SqlStatement.of(text), new AtomicBoolean());
      texts.put(text, known);
    }
    return known.statement();
  }

  /** Notes that a statement is a query of the program's; forgotten when its text is. */
  public void isQuery(SqlStatement statement) {
    Known known = texts.get(statement.text());
    if (known != null) {
      known.isQuery().setPlain(true);
    }
  }

  /** The queries that are remembered. */
  public Collection<SqlStatement> queries() {
    return texts.all().values().stream()
        .filter(known -> known.isQuery().getPlain())
        .map(Known::statement)
        .toList();
  }

  /** How many texts are remembered. */
  public int size() {
    return texts.all().size();
  }
}
