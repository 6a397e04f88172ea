package dev.warmshelf.measure.database;

import static org.assertj.core.api.Assertions.assertThat;

import java.util.List;
import org.junit.jupiter.api.Test;

class IndexAdviceTest {
  private static final List<String> COLUMNS = List.of("id", "port_id", "day", "status", "kind");

  @Test
  void equalColumnsComeFirstThenOneThatIsComparedOtherwise() {
    assertThat(compared("(notice.port_id = 1)")).containsExactly("port_id");
    assertThat(compared("((notice.day >= '2026-05-01'::date) AND (notice.port_id = 1))"))
        .containsExactly("port_id", "day");
    assertThat(compared("((day > '2026-05-01'::date) AND (id < 5))")).containsExactly("id");
    assertThat(compared("(notice.port_id = ANY ('{1,2}'::integer[]))")).containsExactly("port_id");
  }

  @Test
  void castsOfTheColumnItselfDoNotHinder() {
    assertThat(compared("((notice.status)::text = 'HELD'::text)")).containsExactly("status");
  }

  @Test
  void whatNoIndexOnAColumnWouldServeGivesNoAdvice() {
    assertThat(compared("(lower(notice.status) = 'held'::text)")).isEmpty();
    assertThat(compared("((notice.port_id = 1) OR (notice.id = 2))")).isEmpty();
    assertThat(compared("(notice.status <> 'HELD'::text)")).isEmpty();
    assertThat(compared("(other.port_id = 1)")).isEmpty();
    assertThat(compared("(notice.kind ~~ 'port_id = 1%'::text)")).isEmpty();
    assertThat(compared("((notice.id + 1) = 2)")).isEmpty();
  }

  private static List<String> compared(String filter) {
    return IndexAdvice.compared(filter, "notice", COLUMNS);
  }
}
