package dev.warmshelf;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.shelf.Reading;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;

/** One list, page by page in three ways. */
class PagesTest {
  private static final int SIZE = 7;
  private static final String LIST = "SELECT id, name FROM port ORDER BY name, id";
  private static final String BY_OFFSET = LIST + " LIMIT :rows OFFSET :from";
  private static final String BY_LAST =
      "SELECT id, name FROM port WHERE (name, id) > (:name, :id) ORDER BY name, id LIMIT :rows";

  record Port(int id, String name) {}

  private static List<Port> cut(WarmShelf warm) throws Exception {
    List<Port> all = new ArrayList<>();
    ShelvedQuery<Port> list = warm.query(LIST).as(Port.class);
    Page<Port> page = list.question().page(0, SIZE).value();
    all.addAll(page.rows());
    while (page.hasNext()) {
      page = list.question().page(page.number() + 1, SIZE).value();
      all.addAll(page.rows());
    }
    assertThat(all).hasSize(page.total());
    return all;
  }

  private static List<Port> byOffset(WarmShelf warm) throws Exception {
    List<Port> all = new ArrayList<>();
    ShelvedQuery<Port> pages = warm.query(BY_OFFSET).as(Port.class).requireKeepable();
    List<Port> page = pages.with("rows", SIZE).with("from", 0).list().value();
    while (!page.isEmpty()) {
      all.addAll(page);
      page = pages.with("rows", SIZE).with("from", all.size()).list().value();
    }
    return all;
  }

  private static List<Port> byLast(WarmShelf warm) throws Exception {
    List<Port> all = new ArrayList<>();
    ShelvedQuery<Port> pages = warm.query(BY_LAST).as(Port.class).requireKeepable();
    List<Port> page = pages.with("rows", SIZE).with("name", "").with("id", 0).list().value();
    while (!page.isEmpty()) {
      all.addAll(page);
      Port last = page.get(page.size() - 1);
      page =
          pages.with("rows", SIZE).with("name", last.name()).with("id", last.id()).list().value();
    }
    return all;
  }

  @Test
  void allWaysGiveTheSameRowsInTheSameOrder() throws Exception {
    TestDatabase database = TestDatabase.create();
    try (WarmShelf warm = database.shelf(5).open()) {
      List<Port> all = cut(warm);
      assertThat(warm.shelf("main").meters().loads().count()).as("for all pages").isEqualTo(1);
      for (String change :
          List.of(
              "UPDATE port SET name = 'AAA' WHERE id = 9",
              "INSERT INTO port VALUES (900, 'NEW', 'Mmm', 'Norra', 'OPEN')",
              "UPDATE port SET name = 'Zzz' WHERE id < 4")) {
        assertThat(byOffset(warm)).isEqualTo(all);
        assertThat(byLast(warm)).isEqualTo(all);
        assertThat(byLast(warm)).as("kept").isEqualTo(all);
        database.run(change);
        Waiting.untilDelivered(warm);
        List<Port> changed = cut(warm);
        assertThat(changed).isNotEqualTo(all);
        all = changed;
      }
      ShelvedQuery<Port> list = warm.query(LIST).as(Port.class);
      Reading<Page<Port>> beyond = list.question().page(1_000_000_000, 1_000_000_000);
      assertThat(beyond.value().rows()).isEmpty();
      assertThat(beyond.value().hasNext()).isFalse();
      assertThatThrownBy(() -> list.question().page(-1, 5))
          .isInstanceOf(IllegalArgumentException.class);
      assertThatThrownBy(() -> list.question().page(0, 0))
          .isInstanceOf(IllegalArgumentException.class);
    }
  }
}
