package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import javax.sql.DataSource;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** A pool above the shelves, with its own checks of the connections that it holds. */
@Tag("thorough")
class PoolTest {
  private static final String SCHEMA = "CREATE TABLE t AS SELECT 1 AS a";

  private static HikariDataSource pool(DataSource over, String question) {
    HikariConfig config = new HikariConfig();
    config.setDataSource(over);
    config.setMaximumPoolSize(2);
    config.setConnectionTestQuery(question);
    config.setConnectionInitSql("SELECT a FROM t");
    config.setAutoCommit(false);
    config.setTransactionIsolation("TRANSACTION_READ_COMMITTED");
    return new HikariDataSource(config);
  }

  private static int read(DataSource source) throws SQLException {
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement();
        ResultSet result = statement.executeQuery("SELECT a FROM t")) {
      result.next();
      return result.getInt(1);
    }
  }

  private static void suite(DataSource source) throws SQLException {
    int before = read(source);
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement()) {
      assertThat(connection.isValid(1)).isTrue();
      assertThat(connection.getAutoCommit()).isFalse();
      statement.executeUpdate("UPDATE t SET a = a + 1");
      connection.commit();
      statement.executeUpdate("UPDATE t SET a = 0"); // rolled back by the pool
    }
    assertThat(read(source)).isEqualTo(before + 1);
  }

  @Test
  void itsSuitePassesWithoutShelves() throws Exception {
    for (String question : new String[] {null, "SELECT 1"}) {
      try (Ground ground = Ground.with(SCHEMA);
          HikariDataSource pool = pool(ground.plain(), question)) {
        suite(pool);
      }
    }
  }

  @Test
  void itsSuitePassesOverShelves() throws Exception {
    for (String question : new String[] {null, "SELECT 1", "SELECT a FROM t"}) {
      try (Ground ground = Ground.with(SCHEMA);
          HikariDataSource pool = pool(ground.shelved("t"), question)) {
        for (int i = 0; i < 20; i++) {
          suite(pool);
        }
      }
    }
  }
}
