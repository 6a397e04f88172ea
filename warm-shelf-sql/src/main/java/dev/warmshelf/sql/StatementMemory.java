package dev.warmshelf.sql;

import java.util.Collection;
import java.util.HashSet;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;

/**
 * Texts that have been read before, so that reading one again costs a lookup; and which of them are
 * queries. Bounded in bytes: a program that glues values into its SQL makes a new text each time,
 * and must not fill the heap.
 *
 * <p>Two generations. A text is remembered in the young one; when that is full it becomes the old
 * one and the old one is forgotten. A text found in the old one is young again, so what is in use
 * stays.
 *
 * <p>Thread-safe. A lookup takes no lock.
 */
public final class StatementMemory {
  /** Eight mebibytes, about. */
  private static final long STANDARD_BYTES = 8L << 20;

  private final long generationBytes;
  private volatile Generation young = new Generation();
  private volatile Generation old = new Generation();

  private static final class Generation {
    private final ConcurrentHashMap<String, SqlStatement> statements = new ConcurrentHashMap<>();
    private final ConcurrentHashMap<SqlStatement, Boolean> queries = new ConcurrentHashMap<>();
    private final AtomicLong bytes = new AtomicLong();
  }

  public StatementMemory() {
    this(STANDARD_BYTES);
  }

  /**
   * @param mostBytes about how much memory to use at most
   */
  public StatementMemory(long mostBytes) {
    this.generationBytes = mostBytes / 2;
  }

  /**
   * The statement of a text.
   *
   * @throws SqlTextException as {@link SqlStatement#of} does; nothing is remembered then
   */
  public SqlStatement of(String text) {
    Generation now = young;
    SqlStatement known = now.statements.get(text);
    if (known != null) {
      return known;
    }
    known = old.statements.get(text);
    SqlStatement statement = known == null ? SqlStatement.of(text) : known;
    if (statement.bytes() <= generationBytes / 4) {
      remember(statement);
    }
    return statement;
  }

  /** Notes that a statement is a query of the program's; forgotten when its text is. */
  public void isQuery(SqlStatement statement) {
    Generation now = young;
    if (now.statements.get(statement.text()) == statement) {
      now.queries.put(statement, true);
    }
  }

  /** The queries that are remembered. */
  public Collection<SqlStatement> queries() {
    Set<SqlStatement> all = new HashSet<>(old.queries.keySet());
    all.addAll(young.queries.keySet());
    return all;
  }

  /** How many texts are remembered. */
  public int size() {
    return young.statements.size() + old.statements.size();
  }

  private synchronized void remember(SqlStatement statement) {
    if (young.bytes.get() >= generationBytes) {
      old = young;
      young = new Generation();
    }
    if (young.statements.put(statement.text(), statement) == null) {
      young.bytes.addAndGet(statement.bytes());
    }
    if (old.queries.containsKey(statement)) {
      young.queries.put(statement, true);
    }
  }
}
