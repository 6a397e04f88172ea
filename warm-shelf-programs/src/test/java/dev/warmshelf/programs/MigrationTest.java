package dev.warmshelf.programs;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.shelf.Shelf;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import javax.sql.DataSource;
import org.flywaydb.core.Flyway;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** A program whose tables are migrated as it starts, over the data source that it reads through. */
@Tag("thorough")
class MigrationTest {
  private static final String READ = "SELECT * FROM crossing ORDER BY id";

  private static int migrate(DataSource source, String to) {
    return Flyway.configure()
        .dataSource(source)
        .locations("classpath:db/migration")
        .baselineOnMigrate(true)
        .baselineVersion("0")
        .target(to)
        .load()
        .migrate()
        .migrationsExecuted;
  }

  /** How many columns and rows there are. */
  private static String read(DataSource source) throws SQLException {
    try (Connection connection = source.getConnection();
        Statement statement = connection.createStatement();
        ResultSet result = statement.executeQuery(READ)) {
      int rows = 0;
      while (result.next()) {
        rows++;
      }
      return result.getMetaData().getColumnCount() + " columns, " + rows + " rows";
    }
  }

  @Test
  void itMigratesWithoutShelves() throws Exception {
    try (Ground ground = Ground.with("CREATE TABLE crossing (id int PRIMARY KEY)")) {
      assertThat(migrate(ground.plain(), "2")).isEqualTo(2);
      assertThat(read(ground.plain())).isEqualTo("2 columns, 2 rows");
    }
  }

  @Test
  void itMigratesWithShelvesAndWhatIsKeptFollows() throws Exception {
    try (Ground ground = Ground.with("CREATE TABLE crossing (id int PRIMARY KEY)")) {
      DataSource source = ground.shelved("crossing");
      assertThat(migrate(source, "1")).isOne();
      ground.requireKept(() -> assertThat(read(source)).isEqualTo("2 columns, 1 rows"));
      assertThat(migrate(source, "2")).isOne();
      assertThat(read(source)).isEqualTo("2 columns, 2 rows");
      Shelf shelf = ground.warmShelf().shelf("main");
      assertThat(shelf.size()).isPositive();
    }
  }
}
