package dev.warmshelf.measure.workload;

import dev.warmshelf.record.RecordingFile;
import dev.warmshelf.record.RecordingFile.Question;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.SqlTextException;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/** The statements of a recording, with how they were asked. Those of one form are one. */
public final class RecordedStatements {
  private static final int HEXADECIMAL = 16;

  private final Map<String, Tally> tallies = new LinkedHashMap<>();
  private final Map<RecordingFile.Statement, Tally> byStatement = new LinkedHashMap<>();

  private RecordedStatements() {}

  /**
   * One of them.
   *
   * @param formDigest of the normal form, by which rules name it
   * @param normalForm what all that ask the same have
   * @param sql a text of it, as it was asked
   * @param shelf where its answers were kept; empty if they were not
   */
  public record Recorded(
      String formDigest, String normalForm, String sql, String shelf, Counts counts) {}

  /**
   * How a statement was asked.
   *
   * @param asked how often
   * @param questions how many different questions that were
   * @param answered how often a shelf had the answer
   * @param databaseMicros how long the database took for the others, together
   */
  public record Counts(long asked, long questions, long answered, long databaseMicros) {}

  private static final class Tally {
    private final SqlStatement sql;
    private final String shelf;
    private final Set<Long> keys = new HashSet<>();
    private long asked;
    private long answered;
    private long databaseMicros;

    Tally(SqlStatement sql, String shelf) {
      this.sql = sql;
      this.shelf = shelf;
    }

    void add(Question question) {
      asked++;
      keys.add(Long.parseUnsignedLong(question.key(), HEXADECIMAL));
      if (question.outcome().isHit()) {
        answered++;
      } else if (question.outcome() != Origin.JOINED) {
        databaseMicros += question.loadMicros();
      }
    }

    Recorded recorded() {
      Counts counts = new Counts(asked, keys.size(), answered, databaseMicros);
      return new Recorded(sql.formDigest(), sql.normalForm(), sql.text(), shelf, counts);
    }
  }

  /**
   * Reads a recording.
   *
   * @return those that took most of the database's time first
   * @throws IOException if it cannot be read, or has no statement
   */
  public static List<Recorded> of(Path file) throws IOException {
    RecordedStatements all = new RecordedStatements();
    RecordingFile.read(file, all::add);
    if (all.tallies.isEmpty()) {
      throw new IOException(file + " holds no statement.");
    }
    return all.tallies.values().stream()
        .map(Tally::recorded)
        .sorted(
            Comparator.comparingLong((Recorded each) -> each.counts().databaseMicros())
                .reversed()
                .thenComparing(Recorded::normalForm))
        .toList();
  }

  private void add(Question question) {
    Tally known = byStatement.get(question.statement());
    if (known == null) {
      Optional<SqlStatement> sql = question.statement().sql().flatMap(RecordedStatements::read);
      if (sql.isEmpty()) {
        return;
      }
      String shelf = question.statement().shelf();
      known =
          tallies.computeIfAbsent(
              shelf + " " + sql.get().normalForm(), form -> new Tally(sql.get(), shelf));
      byStatement.put(question.statement(), known);
    }
    known.add(question);
  }

  private static Optional<SqlStatement> read(String sql) {
    try {
      return Optional.of(SqlStatement.of(sql));
    } catch (SqlTextException e) {
      return Optional.empty(); // it was refused then, too
    }
  }
}
