package dev.warmshelf.shelf.read;

import static org.assertj.core.api.Assertions.assertThat;

import ch.qos.logback.classic.Logger;
import ch.qos.logback.classic.spi.ILoggingEvent;
import ch.qos.logback.core.read.ListAppender;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.NeedlessReloads;
import dev.warmshelf.shelf.NeedlessReloads.Amount;
import dev.warmshelf.shelf.Renewal;
import java.io.IOException;
import java.time.Duration;
import java.util.List;
import java.util.function.UnaryOperator;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.slf4j.LoggerFactory;

class WarningsTest {
  private final Questions asked = new Questions();
  private final ListAppender<ILoggingEvent> told = new ListAppender<>();
  private final Logger log = (Logger) LoggerFactory.getLogger(Warnings.class);

  @BeforeEach
  void listen() {
    told.start();
    log.addAppender(told);
  }

  @AfterEach
  void listenNoMore() {
    log.detachAppender(told);
  }

  private List<String> told() {
    return told.list.stream().map(ILoggingEvent::getFormattedMessage).toList();
  }

  private void changeAndAsk(AnswerShelf shelf, int times, UnaryOperator<Integer> to)
      throws IOException {
    for (int i = 0; i < times; i++) {
      asked.change(to.apply(asked.number));
      asked.read(shelf, 1);
    }
  }

  @Test
  void aSlowLoadIsToldOnceAnHour() throws Exception {
    AnswerShelf shelf = asked.shelf(policy -> policy.tellingOfLoadsFrom(Duration.ofSeconds(2)));
    asked.loadTime = Duration.ofMillis(1_999);
    asked.read(shelf, 1);
    assertThat(told()).isEmpty();
    asked.loadTime = Duration.ofSeconds(2);
    for (int id = 2; id < 5; id++) {
      asked.read(shelf, id);
    }
    assertThat(told()).hasSize(1);
    assertThat(told().get(0))
        .startsWith("Slow load: shelf=test form=")
        .contains(" key=" + Questions.key(2).shortDigest() + " took_ms=2000;", "It is: q");
    asked.pass(Duration.ofHours(1));
    asked.read(shelf, 5);
    assertThat(told()).hasSize(2);
  }

  @Test
  void aStormOfNeedlessInvalidationsIsToldWithItsTable() throws Exception {
    AnswerShelf shelf = asked.shelf(policy -> policy.renewing(Renewal.loading()));
    asked.loadTime = Duration.ofMillis(1);
    asked.read(shelf, 1);
    changeAndAsk(shelf, 150, same -> same);
    changeAndAsk(shelf, 50, before -> before + 1);
    assertThat(told()).isEmpty(); // the five minutes are not over
    asked.pass(Duration.ofMinutes(5));
    changeAndAsk(shelf, 1, same -> same);
    assertThat(told()).hasSize(1);
    assertThat(told().get(0))
        .startsWith(
            "Needless invalidations: shelf=test table=public.booking loaded_again=200"
                + " same_as_before=150 needless_ms=150 ")
        .contains("told apart by [id, day]: shelf feed install public.booking:id,day. Told once");
  }

  @Test
  void aFewNeedlessOnesThatNothingTellsApartAreToldToo() throws Exception {
    AnswerShelf shelf = asked.shelf(policy -> policy.renewing(Renewal.loading()));
    asked.read(shelf, 1);
    asked.toldApartBy = List.of();
    changeAndAsk(shelf, 20, same -> same);
    changeAndAsk(shelf, 20, before -> before + 1);
    asked.pass(Duration.ofMinutes(5));
    changeAndAsk(shelf, 1, same -> same);
    assertThat(told()).hasSize(1);
    assertThat(told().get(0)).contains("Nothing in the statements tells");
    asked.toldApartBy = List.of("odd; name");
    changeAndAsk(shelf, 40, same -> same);
    asked.pass(Duration.ofHours(1));
    changeAndAsk(shelf, 2, same -> same);
    assertThat(told()).hasSize(2);
    assertThat(told().get(1)).contains("by [odd; name]: 'shelf feed install'.");
  }

  /** Those who look see the same, of the last minutes and of all. */
  @Test
  void whatWasNeedlessIsCountedByTable() throws Exception {
    AnswerShelf shelf = asked.shelf(policy -> policy.renewing(Renewal.loading()));
    asked.loadTime = Duration.ofMillis(1);
    asked.read(shelf, 1);
    changeAndAsk(shelf, 10, before -> before + 1);
    assertThat(shelf.needless()).as("each change made a difference").isEmpty();
    changeAndAsk(shelf, 30, same -> same);
    NeedlessReloads now = shelf.needless().get(0);
    assertThat(now.table()).isEqualTo("public.booking");
    assertThat(now.recent()).isEqualTo(new Amount(40, 30, 30_000_000)).isEqualTo(now.all());
    assertThat(now.recent().isMuch()).isTrue();
    assertThat(now.advice()).contains("shelf feed install public.booking:id,day");
    asked.pass(Duration.ofMinutes(5));
    changeAndAsk(shelf, 2, same -> same);
    assertThat(shelf.needless().get(0).recent().needless()).isEqualTo(32);
    asked.pass(Duration.ofMinutes(5));
    assertThat(shelf.needless().get(0).recent().needless()).isEqualTo(2);
    asked.pass(Duration.ofMinutes(20));
    assertThat(shelf.needless().get(0).recent()).isEqualTo(new Amount(0, 0, 0));
    assertThat(shelf.needless().get(0).all().needless()).isEqualTo(32);
  }

  @Test
  void anAnswerThatWasPutOutByItsTagIsNoStormAndNoFailure() throws Exception {
    AnswerShelf shelf = asked.shelf(policy -> policy);
    Lane tag = Lane.ofTag("boards");
    Footprint lanes = Footprint.of(Questions.BOOKING, tag);
    for (int i = 0; i < 200; i++) {
      shelf.<Integer, RuntimeException>read(Questions.key(1), lanes, () -> 40);
      asked.board.tick(List.of(tag));
    }
    asked.pass(Duration.ofMinutes(5));
    shelf.<Integer, RuntimeException>read(Questions.key(1), lanes, () -> 40);
    assertThat(told()).isEmpty();
  }

  @Test
  void changesThatMostlyMakeADifferenceAreNoStorm() throws Exception {
    AnswerShelf shelf = asked.shelf(policy -> policy.renewing(Renewal.loading()));
    asked.loadTime = Duration.ofMillis(1);
    asked.read(shelf, 1);
    changeAndAsk(shelf, 110, same -> same);
    changeAndAsk(shelf, 120, before -> before + 1);
    asked.pass(Duration.ofMinutes(5));
    changeAndAsk(shelf, 19, same -> same); // few, in the next minutes
    asked.pass(Duration.ofMinutes(5));
    changeAndAsk(shelf, 1, same -> same);
    assertThat(told()).isEmpty();
  }
}
