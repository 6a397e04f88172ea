package dev.warmshelf.engine;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.TestDatabase;
import dev.warmshelf.answer.Binding;
import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import dev.warmshelf.postgres.analysis.Asker;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.Random;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/**
 * The laws of keys, over statements made at random. {@code -Dkeys.seed} and {@code -Dkeys.pairs}
 * run others, and more of them.
 */
class KeyLawsTest {
  private static final long SEED = Long.getLong("keys.seed", 20_261_123L);
  private static final int PAIRS = Integer.getInteger("keys.pairs", 250);

  @Test
  void writingAStatementInAnotherWayKeepsItsKey() {
    for (int i = 0; i < 20 * PAIRS; i++) {
      Random random = new Random(SEED + i);
      MadeStatement made = new MadeStatement(random);
      MadeStatement.Writing one = made.write(random);
      MadeStatement.Writing other = made.write(random);
      assertThat(key(one)).as("seed %d:%n%s%n%s", SEED + i, one, other).isEqualTo(key(other));
      assertThat(key(one).digest()).isEqualTo(key(other).digest());
    }
  }

  @Test
  void changingWhatIsAskedChangesTheKey() {
    for (int i = 0; i < 20 * PAIRS; i++) {
      Random random = new Random(SEED + i);
      MadeStatement made = new MadeStatement(random);
      MadeStatement.Writing one = made.write(random);
      made.mutate(random);
      MadeStatement.Writing other = made.write(random);
      assertThat(key(one)).as("seed %d:%n%s%n%s", SEED + i, one, other).isNotEqualTo(key(other));
    }
  }

  @Test
  void statementsThatShareAKeyHaveTheSameRowsAndTypes() throws Exception {
    TestDatabase database = TestDatabase.create();
    int withRows = 0;
    try (Connection connection = database.dataSource().getConnection()) {
      for (int i = 0; i < PAIRS; i++) {
        Random random = new Random(SEED + i);
        MadeStatement made = new MadeStatement(random);
        MadeStatement.Writing one = made.write(random);
        MadeStatement.Writing other = made.write(random);
        assertThat(key(one)).isEqualTo(key(other));
        List<String> rows = run(connection, one);
        assertThat(rows)
            .as("seed %d:%n%s%n%s", SEED + i, one, other)
            .isEqualTo(run(connection, other));
        withRows += rows.size() > 1 ? 1 : 0;
      }
    }
    assertThat(withRows).as("statements that found anything").isGreaterThan(PAIRS / 4);
  }

  /** And the database takes the normal form for what the texts are: it says the same of both. */
  @Tag("thorough")
  @Test
  void everyMadeStatementIsKeepable() throws Exception {
    try (Connection connection = TestDatabase.create().dataSource().getConnection()) {
      Asker asker = new Asker(connection);
      for (int i = 0; i < Math.min(PAIRS, 300); i++) {
        Random random = new Random(SEED + i);
        MadeStatement.Writing writing = new MadeStatement(random).write(random);
        SqlStatement statement = SqlStatement.of(writing.sql());
        List<String> types = Binding.typesOf(values(statement, writing));
        assertThat(asker.ask(writing.sql(), types).analysis().refusal()).as(writing.sql()).isNull();
      }
    }
  }

  private static Key key(MadeStatement.Writing writing) {
    SqlStatement statement = SqlStatement.of(writing.sql());
    return Key.of(
        KeyShape.of("", statement.normalForm()),
        statement.plan(),
        statement.parameters().toArray(new String[0]),
        values(statement, writing));
  }

  private static Object[] values(SqlStatement statement, MadeStatement.Writing writing) {
    return statement.parameters().stream()
        .map(name -> Objects.requireNonNull(writing.values().get(name)))
        .toArray();
  }

  /** The columns' names and types, then the rows. */
  private static List<String> run(Connection connection, MadeStatement.Writing writing)
      throws SQLException {
    SqlStatement sql = SqlStatement.of(writing.sql());
    List<String> lines = new ArrayList<>();
    Object[] values = values(sql, writing);
    String text = sql.driverText(parameter -> values[parameter] instanceof List<?>);
    try (PreparedStatement statement = connection.prepareStatement(text)) {
      Binding.bind(statement, values, sql.driverOrder());
      try (ResultSet result = statement.executeQuery()) {
        int width = result.getMetaData().getColumnCount();
        StringBuilder head = new StringBuilder();
        for (int i = 1; i <= width; i++) {
          head.append(result.getMetaData().getColumnLabel(i))
              .append(' ')
              .append(result.getMetaData().getColumnTypeName(i))
              .append('|');
        }
        lines.add(head.toString());
        while (result.next()) {
          StringBuilder line = new StringBuilder();
          for (int i = 1; i <= width; i++) {
            line.append(result.getString(i)).append('|');
          }
          lines.add(line.toString());
        }
      }
    }
    return lines;
  }
}
