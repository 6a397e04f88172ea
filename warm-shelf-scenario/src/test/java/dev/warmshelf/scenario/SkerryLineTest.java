package dev.warmshelf.scenario;

import static org.assertj.core.api.Assertions.assertThat;

import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

class SkerryLineTest {
  @Tag("thorough")
  @Test
  void loadsTheSameCompanyEachTime() throws Exception {
    try (LocalPostgres server = LocalPostgres.start()) {
      List<String> prints = new ArrayList<>();
      for (String database : List.of("one", "two")) {
        try (Connection admin = server.dataSource("postgres").getConnection();
            Statement statement = admin.createStatement()) {
          statement.execute("CREATE DATABASE " + database);
        }
        try (Connection connection = server.dataSource(database).getConnection()) {
          List<String> told = new ArrayList<>();
          SkerryLine.load(connection, Scale.TINY, (table, done, all) -> told.add(table + done));
          assertThat(told).contains("port40", "sailing" + Scale.TINY.sailings());
          prints.add(print(connection));
        }
      }
      assertThat(prints.get(0)).isEqualTo(prints.get(1));
      assertThat(server.directory()).exists();
    }
  }

  private static String print(Connection connection) throws SQLException {
    StringBuilder print = new StringBuilder();
    for (String table : SkerryLine.TABLES) {
      try (Statement statement = connection.createStatement();
          ResultSet rows =
              statement.executeQuery(
                  "SELECT count(*) || ' ' || md5(string_agg(t::text, '|' ORDER BY t.id)) FROM "
                      + table
                      + " t")) {
        rows.next();
        print.append(table).append(' ').append(rows.getString(1)).append('\n');
      }
    }
    return print.toString();
  }
}
