package dev.warmshelf;

import static java.time.Duration.ofMinutes;
import static java.time.Duration.ofSeconds;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Count;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.read.AnswerShelf;
import java.sql.SQLException;
import java.sql.SQLTransientConnectionException;
import java.time.Duration;
import java.time.Instant;
import java.util.function.UnaryOperator;
import javax.sql.DataSource;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;

/** Answers that are old on purpose, renewed ahead, or have an end of their own. */
class OldOnPurposeTest {
  private static final String BUMP = "UPDATE notice SET version = version + 1 WHERE id = 1";
  private static final String SUM = "SELECT sum(version) FROM notice";

  private final TestDatabase database;
  private volatile boolean down;

  OldOnPurposeTest() throws SQLException {
    database = TestDatabase.create();
  }

  @Test
  void anOldAnswerIsServedAndTheNextOneIsLoadedInTheBackground() throws Exception {
    try (WarmShelf warm = open(policy -> policy.serving(OldAnswers.whileLoading(ofMinutes(1))))) {
      ShelvedQuery<Long> sum = warm.query(SUM).as(Long.class);
      long before = sum.question().only().value();
      Instant unchanged = Instant.now();
      change(warm);
      Reading<Long> old = sum.question().only();
      assertThat(old.origin()).isEqualTo(Origin.OLD);
      assertThat(old.value()).isEqualTo(before);
      assertThat(old.freshAsOf()).isBetween(unchanged.minusSeconds(1), Instant.now());
      assertThat(warm.awaitBackground(ofSeconds(30))).isTrue();
      Reading<Long> renewed = sum.question().only();
      assertThat(renewed.origin()).isEqualTo(Origin.KEPT);
      assertThat(renewed.value()).isEqualTo(before + 1);
    }
  }

  @Test
  void aQuestionTakesThemOrNot() throws Exception {
    try (WarmShelf warm = open(policy -> policy.serving(OldAnswers.within(ofMinutes(1))))) {
      ShelvedQuery<Long> sum = warm.query(SUM).as(Long.class);
      sum.question().only();
      change(warm);
      assertThat(sum.question().only().origin()).isEqualTo(Origin.OLD);
      assertThat(sum.question().taking(OldAnswers.none()).only().origin().isHit()).isFalse();
    }
  }

  @Test
  void whileTheDatabaseIsDownAKeptAnswerIsServedAndAnErrorOfTheStatementIsNot() throws Exception {
    try (WarmShelf warm =
        open(policy -> policy.serving(OldAnswers.none().orWhenFailing(ofMinutes(1))))) {
      ShelvedQuery<Long> sum = warm.query(SUM).as(Long.class);
      ShelvedQuery<Long> parts =
          warm.query("SELECT 12 / (3 - max(version)) FROM notice WHERE id = 1").as(Long.class);
      run("UPDATE notice SET version = 1 WHERE id = 1");
      long before = sum.question().only().value();
      assertThat(parts.question().only().value()).isEqualTo(6);
      down = true;
      Waiting.until(
          "the answer is out of date and the database does not answer",
          () -> {
            run(BUMP);
            Waiting.untilDelivered(warm);
            return sum.question().only().origin() == Origin.OLD;
          });
      assertThat(sum.question().only().value()).isEqualTo(before);
      assertThat(warm.shelf("main").meters().snapshot().get(Count.OLD_ON_FAILURE)).isPositive();
      down = false;
      run("UPDATE notice SET version = 3 WHERE id = 1");
      Waiting.untilDelivered(warm);
      assertThatThrownBy(() -> parts.question().only())
          .isInstanceOf(SQLException.class)
          .hasMessageContaining("division by zero");
    }
  }

  @Test
  void whatIsAskedForIsRenewedAheadOfTheNextCaller() throws Exception {
    try (WarmShelf warm = open(policy -> policy.renewing(Renewal.mending().ahead(1)))) {
      ShelvedQuery<Long> sum = warm.query(SUM).as(Long.class);
      long before = sum.question().only().value();
      for (int round = 1; round <= 5; round++) {
        Reading<Long> hit = sum.question().only();
        assertThat(hit.origin().isHit()).isTrue();
        assertThat(hit.value()).isEqualTo(before + round - 1);
        run(BUMP);
        int renewed = round;
        Waiting.until(
            "it is renewed",
            () -> warm.shelf("main").meters().snapshot().get(Count.AHEAD) == renewed);
        Waiting.untilDelivered(warm);
      }
      assertThat(warm.shelf("main").meters().snapshot().get(Count.MISSES)).isEqualTo(1);
    }
  }

  @Test
  void aQuestionEndsAndEmptyAnswersAreNotKept() throws Exception {
    try (WarmShelf warm =
        open(policy -> policy.expiring(policy.expiry().andEmptyAfter(Duration.ZERO)))) {
      ShelvedQuery<Long> none = warm.query("SELECT id FROM notice WHERE id < 0").as(Long.class);
      none.question().list();
      assertThat(none.question().list().origin()).isEqualTo(Origin.LOADED);
      ShelvedQuery<Long> all = warm.query("SELECT id FROM notice").as(Long.class);
      Expiry brief = Expiry.after(ofSeconds(40));
      all.question().expiring(brief).list();
      Reading<?> hit = all.question().list();
      assertThat(hit.origin()).isEqualTo(Origin.KEPT);
      assertThat(hit.remainingTtl().orElseThrow()).isLessThanOrEqualTo(ofSeconds(40));
    }
  }

  @Tag("thorough")
  @Test
  void allShelvesStayWithinTheRoomThatTheyShare() throws Exception {
    long bytes = 200_000;
    try (WarmShelf warm =
        builder(policy -> policy)
            .room(Capacity.bytes(bytes))
            .shelf("more", policy -> policy)
            .open()) {
      ShelvedQuery<String> here =
          warm.query("SELECT text FROM notice WHERE id % 50 = :id").as(String.class);
      ShelvedQuery<String> there =
          warm.query("SELECT text FROM notice WHERE id % 50 = :id").on("more").as(String.class);
      for (int id = 0; id < 50; id++) {
        here.question().with("id", id).list();
        there.question().with("id", id).list();
        long held =
            warm.shelves().stream()
                .flatMap(shelf -> AnswerShelf.of(shelf).held().values().stream())
                .mapToLong(size -> size.bytes())
                .sum();
        assertThat(held).isLessThanOrEqualTo(bytes);
      }
      assertThat(warm.shelf("main").size() + warm.shelf("more").size()).isBetween(5, 90);
    }
  }

  private WarmShelf open(UnaryOperator<Policy> policy) throws Exception {
    return builder(policy).open();
  }

  /** The feed has connections of its own, so that it goes on while reads fail. */
  private WarmShelf.Builder builder(UnaryOperator<Policy> policy) throws SQLException {
    DataSource real = database.dataSource();
    DataSource failing = mock();
    when(failing.getConnection())
        .then(
            call -> {
              if (down) {
                throw new SQLTransientConnectionException("nobody answers", "08001");
              }
              return real.getConnection();
            });
    return WarmShelf.over(failing)
        .following(JournalFeed.on(real).polling(Duration.ofMillis(2)))
        .shelf("main", given -> policy.apply(given.tolerating(ofMinutes(9))));
  }

  private void change(WarmShelf warm) throws Exception {
    run(BUMP);
    Waiting.untilDelivered(warm);
  }

  private void run(String sql) throws SQLException {
    database.run(sql);
  }
}
