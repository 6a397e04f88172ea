package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import dev.warmshelf.http.ReadingHeaders;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.time.TimeSource;
import java.time.Duration;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

class HandlesTest {
  private static final String PORTS = "SELECT id, name FROM port WHERE island = 'Norra' ORDER BY ";

  record Port(int id, String name) {}

  @Test
  void whoHasAHandleGetsThatAnswerAndIsToldWhetherItHolds() throws Exception {
    TestDatabase database = TestDatabase.create();
    try (WarmShelf warm = database.shelf(5).open()) {
      ShelvedQuery<Port> ports = warm.query(PORTS + "id").as(Port.class);
      Handles<List<Port>> handles = warm.handles(Duration.ofMinutes(5), 1 << 20);
      Reading<List<Port>> page = ports.list();
      String handle = handles.give(page);
      assertThat(handle).matches("[A-Za-z0-9_-]{22}");
      assertThat(again(handles, handle).holdsStill()).isTrue();
      database.run("UPDATE port SET name = 'Elsewhere' WHERE id = " + page.value().get(0).id());
      Waiting.until("it is out", () -> !page.holdsStill());
      assertThat(again(handles, handle).value()).isSameAs(page.value());
      assertThat(again(handles, handle).holdsStill()).isFalse();
      assertThat(ports.list().value()).isNotEqualTo(page.value());
      assertThat(handles.find("nobody's")).isInstanceOf(Handles.Found.Gone.class);
    }
  }

  private static Reading<List<Port>> again(Handles<List<Port>> handles, String handle) {
    assertThat(handles.find(handle)).isInstanceOf(Handles.Found.Again.class);
    return ((Handles.Found.Again<List<Port>>) handles.find(handle)).reading();
  }

  @Test
  void aHandleIsGoodForItsTimeAndTheOldestGoWhenThereIsNoRoom() throws Exception {
    TestDatabase database = TestDatabase.create();
    AtomicLong now = new AtomicLong(Long.MAX_VALUE - 50);
    TimeSource time = mock();
    when(time.nanos()).thenAnswer(call -> now.get());
    try (WarmShelf warm = database.shelf(5).open()) {
      Reading<List<Port>> page = warm.query(PORTS + "id").as(Port.class).list();
      Handles<List<Port>> some = new Handles<>(time, Duration.ofNanos(100), 3 * page.bytes());
      Set<String> given = new HashSet<>();
      String first = some.give(page);
      for (int i = 0; i < 3; i++) {
        given.add(some.give(page));
      }
      assertThat(given).hasSize(3);
      assertThat(some.find(first)).as("no room").isInstanceOf(Handles.Found.Gone.class);
      assertThat(some.size()).isEqualTo(3);
      now.addAndGet(100);
      assertThat(some.size()).as("time is over").isZero();
      Handles<List<Port>> small = new Handles<>(time, Duration.ofNanos(100), 1);
      assertThatThrownBy(() -> small.give(page)).hasMessageContaining("handles hold 1 at most");
      assertThatThrownBy(() -> warm.handles(Duration.ZERO, 1))
          .isInstanceOf(IllegalArgumentException.class);
    }
  }

  @Test
  void anAnswersTagIsTheSameWhereverItSaysTheSameInTheSameOrder() throws Exception {
    TestDatabase database = TestDatabase.create();
    try (WarmShelf one = database.shelf(5).open();
        WarmShelf other = database.shelf(5).namespace("other").open()) {
      String tag = tag(one, "id");
      assertThat(tag).matches("W/\"[0-9a-f]{32}\"").isEqualTo(tag(other, "id"));
      assertThat(tag(one, "id DESC")).isNotEqualTo(tag);
      database.run("UPDATE notice SET version = version + 1");
      database.run("UPDATE port SET status = status WHERE island = 'Norra'");
      Waiting.untilDelivered(one);
      assertThat(tag(one, "id")).as("loaded again, and the same").isEqualTo(tag);
      database.run("UPDATE port SET name = name || '!' WHERE island = 'Norra'");
      Waiting.untilDelivered(one);
      assertThat(tag(one, "id")).isNotEqualTo(tag);
      Reading<?> unkept = one.query("SELECT now()::text").as(String.class).only();
      assertThat(ReadingHeaders.entityTag(unkept, "text")).isEmpty();
      Reading<Integer> computed =
          one.<Integer>computation("c").get(() -> tag(one, "id").length(), 1);
      assertThat(ReadingHeaders.entityTag(computed, "text")).isPresent();
      assertThat(ReadingHeaders.entityTag(computed, "json"))
          .isNotEqualTo(ReadingHeaders.entityTag(computed, "text"));
    }
  }

  private static String tag(WarmShelf warm, String order) {
    try {
      Reading<?> reading = warm.query(PORTS + order).as(Port.class).list();
      return ReadingHeaders.entityTag(reading, "text").orElseThrow();
    } catch (java.sql.SQLException e) {
      throw new IllegalStateException(e);
    }
  }
}
