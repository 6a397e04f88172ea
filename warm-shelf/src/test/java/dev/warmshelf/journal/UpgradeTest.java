package dev.warmshelf.journal;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.TestDatabase;
import dev.warmshelf.Waiting;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.shelf.Origin;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import org.junit.jupiter.api.Test;

/** From what earlier versions have installed. */
class UpgradeTest {
  /**
   * {@code journal-5.sql} is what version 5 has a superuser run for {@code port:island sailing}.
   */
  @Test
  void whatASuperuserInstalledThenBelongsToTheRoleOfItsOwnNow() throws Exception {
    TestDatabase database = TestDatabase.create();
    Journal journal = Journal.on(database.dataSource());
    journal.remove();
    try (Connection superuser = database.dataSource().getConnection();
        InputStream script = UpgradeTest.class.getResourceAsStream("journal-5.sql")) {
      superuser.setAutoCommit(false);
      database.run(superuser, new String(script.readAllBytes(), StandardCharsets.UTF_8));
      superuser.commit();
    }
    assertThat(owners(database)).isEqualTo("postgres");
    assertThatThrownBy(() -> database.shelf(2).open()).hasMessageContaining("feed upgrade");
    assertThat(journal.check().problems()).anyMatch(problem -> problem.contains("feed upgrade"));
    String place = database.ask("SELECT pg_current_snapshot()");
    database.run("SELECT warm_shelf.reader_is_here(); UPDATE port SET name = 'old' WHERE id = 1");

    journal.upgrade();

    assertThat(owners(database)).isEqualTo("warm_shelf");
    assertThat(journal.check().problems()).isEmpty();
    assertThat(journal.check().isOwnedByItself()).isTrue();
    assertThat(journal.covered()).hasToString("[public.port, public.sailing]");
    assertThat(journal.check().tables().toString()).contains("public.port={island=TEXT}");
    assertThat(database.ask("SELECT count(*) > 0 FROM warm_shelf.journal"))
        .as("what was noted since " + place + " is there still")
        .isEqualTo("t");
    try (WarmShelf warm = database.shelf(2).open()) {
      ShelvedQuery<String> name = warm.query("SELECT name FROM port WHERE id = 1").as(String.class);
      Waiting.untilDelivered(warm);
      name.only();
      assertThat(name.only().origin()).isEqualTo(Origin.KEPT);
      database.run("UPDATE port SET name = 'new' WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(name.only().value()).isEqualTo("new");
    }
  }

  private static String owners(TestDatabase database) throws Exception {
    return database.ask(
        "SELECT string_agg(DISTINCT pg_get_userbyid(owner), ',') FROM (SELECT proowner AS owner FROM"
            + " pg_proc WHERE pronamespace = 'warm_shelf'::regnamespace UNION ALL SELECT relowner"
            + " FROM pg_class WHERE relnamespace = 'warm_shelf'::regnamespace UNION ALL SELECT"
            + " nspowner FROM pg_namespace WHERE nspname = 'warm_shelf') o");
  }
}
