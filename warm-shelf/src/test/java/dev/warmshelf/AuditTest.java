package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Audit;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.trial.Wilson;
import org.junit.jupiter.api.Test;

/** Audits on a real PostgreSQL. */
class AuditTest {
  private static final double SHARE = 0.05;

  @Test
  void aFootprintThatIsDeclaredWronglyIsFoundWithinAComputedNumberOfHits() throws Exception {
    TestDatabase database = TestDatabase.create();
    database.run(
        "CREATE FUNCTION notices() RETURNS bigint STABLE LANGUAGE sql AS"
            + " 'SELECT count(*) FROM notice'");
    try (WarmShelf warm =
        WarmShelf.over(database.dataSource())
            .following(JournalFeed.on(database.dataSource()))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.auditing(Audit.of(SHARE, 1_000)))
            .open()) {
      // A planted fault: the function reads notice, and the engineer says port.
      ShelvedQuery<Long> wrong = warm.query("SELECT notices()").reading("port").as(Long.class);
      ShelvedQuery<String> right =
          warm.query("SELECT name FROM port WHERE id < 9").as(String.class);
      wrong.only();
      right.list();
      database.run("DELETE FROM notice WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThat(wrong.only().origin()).as("nothing invalidates it").isEqualTo(Origin.KEPT);
      // Each hit is audited with probability SHARE: so many hits leave one chance in a million
      // that none of them was.
      long hits = (long) Math.ceil(Math.log(1e-6) / Math.log(1 - SHARE));
      assertThat(hits).isEqualTo(270);
      for (long i = 0; i < hits; i++) {
        wrong.only();
        right.list();
      }
      Waiting.until("an audit finds it", () -> meters(warm).get(Finding.NEVER) > 0);
      Waiting.until(
          "an audit finds the other one right",
          () -> {
            right.list(); // none is made for ten seconds after a connection was waited for
            return meters(warm).get(Finding.AGREED) > 0;
          });
      assertThat(shareOfNever(meters(warm)).low()).isPositive();
      String form = SqlStatement.of("SELECT notices()").formDigest();
      Health health = warm.health();
      assertThat(health.state()).isEqualTo(Health.State.FOUND_WRONG);
      assertThat(health.why()).contains(form).contains(WarmShelf.MAIN_SHELF);
      assertThat(wrong.only().origin()).isEqualTo(Origin.DIRECT);
      assertThat(right.list().origin()).as("nobody else is taken off").isEqualTo(Origin.KEPT);
      warm.shelf(WarmShelf.MAIN_SHELF).clearForm(form);
      assertThat(warm.health().state()).isEqualTo(Health.State.LIVE);
      assertThat(wrong.only().origin()).isEqualTo(Origin.LOADED);
    }
  }

  @Test
  void rowsInAnotherOrderAreTheSameAnswer() throws Exception {
    TestDatabase database = TestDatabase.create();
    try (WarmShelf warm =
        WarmShelf.over(database.dataSource())
            .following(JournalFeed.on(database.dataSource()))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.auditing(Audit.of(1, 1_000)))
            .open()) {
      ShelvedQuery<String> unordered = warm.query("SELECT text FROM notice").as(String.class);
      unordered.list();
      // Moves every row within the table without changing any, and so ticks it.
      database.run("UPDATE notice SET text = text WHERE id < 1500");
      Waiting.untilDelivered(warm);
      unordered.list();
      assertThat(meters(warm).get(Count.NEEDLESS)).isEqualTo(1);
      unordered.list();
      Waiting.until(
          "it is audited",
          () -> {
            unordered.list();
            return meters(warm).get(Finding.AGREED) > 0;
          });
    }
  }

  private static Meters.Snapshot meters(WarmShelf warm) {
    return warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot();
  }

  private static Wilson shareOfNever(Meters.Snapshot meters) {
    return Wilson.of(meters.get(Finding.NEVER), meters.audited());
  }
}
