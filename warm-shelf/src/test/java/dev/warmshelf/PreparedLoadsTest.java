package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.journal.JournalFeed;
import java.lang.reflect.Proxy;
import java.sql.Connection;
import javax.sql.DataSource;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.mockito.Mockito;

/** Loads that the driver has prepared on the server, over a connection that lives on. */
class PreparedLoadsTest {
  private TestDatabase database;

  @BeforeEach
  void create() throws Exception {
    database = TestDatabase.create();
  }

  /** One that gives a connection up after such an error. */
  @Test
  void aColumnThatChangesItsTypeFailsNoLoadThroughAPool() throws Exception {
    HikariConfig config = new HikariConfig();
    config.setDataSource(database.dataSource());
    config.setMaximumPoolSize(1);
    try (HikariDataSource pool = new HikariDataSource(config)) {
      changeWhileItIsAsked(pool);
    }
  }

  /** One that gives the same connection again, whatever has happened on it. */
  @Test
  void noneThroughOneThatKeepsItsConnection() throws Exception {
    try (Connection connection = database.dataSource().getConnection()) {
      Connection kept =
          (Connection)
              Proxy.newProxyInstance(
                  getClass().getClassLoader(),
                  new Class<?>[] {Connection.class},
                  (proxy, method, arguments) ->
                      method.getName().equals("close")
                          ? null
                          : method.invoke(connection, arguments));
      DataSource always = Mockito.mock();
      Mockito.when(always.getConnection()).thenReturn(kept);
      changeWhileItIsAsked(always);
    }
  }

  private void changeWhileItIsAsked(DataSource source) throws Exception {
    try (WarmShelf warm =
        WarmShelf.over(source).following(JournalFeed.on(database.dataSource())).open()) {
      ShelvedQuery<?> ports = warm.query("SELECT * FROM port WHERE id = :id").asMaps();
      for (int i = 0; i < 10; i++) { // the driver prepares what it is asked five times
        assertThat(load(warm, ports)).doesNotContain("another");
      }
      for (String change :
          new String[] {"ALTER COLUMN name TYPE varchar(200)", "ADD COLUMN another int"}) {
        database.run("ALTER TABLE port " + change);
        for (int i = 0; i < 10; i++) {
          assertThat(load(warm, ports)).contains("name=");
        }
      }
      assertThat(load(warm, ports)).contains("another");
    }
  }

  private static String load(WarmShelf warm, ShelvedQuery<?> ports) throws Exception {
    warm.clearAll();
    return ports.with("id", 1).only().value().toString();
  }
}
