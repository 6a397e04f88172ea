package dev.warmshelf.bench;

import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.StatementMemory;
import java.time.LocalDate;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.openjdk.jmh.annotations.Benchmark;
import org.openjdk.jmh.annotations.BenchmarkMode;
import org.openjdk.jmh.annotations.Fork;
import org.openjdk.jmh.annotations.Measurement;
import org.openjdk.jmh.annotations.Mode;
import org.openjdk.jmh.annotations.OutputTimeUnit;
import org.openjdk.jmh.annotations.Scope;
import org.openjdk.jmh.annotations.State;
import org.openjdk.jmh.annotations.Warmup;

/**
 * A key of a known text with three parameters, made and hashed, beside the hash of a list of the
 * same; finding a text that was read before; and reading a new text of a kilobyte.
 */
@State(Scope.Thread)
@BenchmarkMode(Mode.AverageTime)
@OutputTimeUnit(TimeUnit.NANOSECONDS)
@Fork(2)
@Warmup(iterations = 4, time = 1)
@Measurement(iterations = 6, time = 1)
public class KeyMaking {
  private static final String TEXT =
      "SELECT id, leaves_at FROM sailing WHERE route_id = :route AND day = :day AND status = :status";

  private final SqlStatement statement = SqlStatement.of(TEXT);
  private final KeyShape form = KeyShape.of("bench", statement.normalForm());
  private final String[] names = statement.parameters().toArray(new String[0]);
  private final StatementMemory memory = new StatementMemory();
  private final String longText =
      TEXT
          + " AND id IN ("
          + "12345, ".repeat(90)
          + "1) AND (version > 5 OR vessel_id = 3) ".repeat(8);
  private final LocalDate day = LocalDate.of(2026, 5, 1);
  private int route;
  private int number;

  @Benchmark
  public int keyOfKnownText() {
    return Key.of(form, statement.plan(), names, new Object[] {++route, day, "OPEN"}).hashCode();
  }

  @Benchmark
  public int hashOfList() {
    return List.of(TEXT, ++route, day, "OPEN").hashCode();
  }

  @Benchmark
  public SqlStatement knownText() {
    return memory.of(TEXT);
  }

  @Benchmark
  public SqlStatement newTextOfAKilobyte() {
    return SqlStatement.of(longText + ++number);
  }
}
