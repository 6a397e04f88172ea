package dev.warmshelf.statement;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.ProbePlan.Condition;
import dev.warmshelf.plan.ProbePlan.Further;
import dev.warmshelf.plan.ProbePlan.Rows;
import dev.warmshelf.plan.ProbePlan.Tied;
import java.time.LocalDate;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.UUID;
import org.junit.jupiter.api.Test;

class TiedTextTest {
  private static final Rows ROUTES =
      new Rows(
          Lane.ofTable("public", "Odd \"route"),
          List.of(new Condition("from \"port", ColumnKind.TEXT, Set.of("norra"))),
          null);

  private static final Tied TIED =
      new Tied(
          new Rows(
              Lane.ofTable("public", "sailing"),
              List.of(new Condition("day", ColumnKind.DATE, Set.of("2026-05-02", "2026-05-01"))),
              new Further("route_id", "id", ROUTES)),
          new Condition("id", ColumnKind.INTEGER, Set.of("7")));

  @Test
  void rosterAndProbeAskForTheSameRows() {
    String from =
        "FROM \"public\".\"sailing\" AS t1 WHERE t1.\"day\" = ANY (:v0) AND EXISTS (SELECT FROM"
            + " \"public\".\"Odd \"\"route\" AS t2 WHERE t2.\"from \"\"port\" = ANY (:v1) AND"
            + " t2.\"id\" = t1.\"route_id\")";
    List<LocalDate> days = List.of(LocalDate.of(2026, 5, 1), LocalDate.of(2026, 5, 2));
    TiedText.Asked roster = TiedText.roster(TIED);
    assertThat(roster.text()).isEqualTo("SELECT t1.\"id\" AS tied " + from + " LIMIT 1001");
    assertThat(roster.values()).isEqualTo(Map.of("v0", days, "v1", List.of("norra")));
    TiedText.Asked probe = TiedText.probe(TIED);
    assertThat(probe.text())
        .isEqualTo("SELECT EXISTS (SELECT " + from + " AND t1.\"id\" = ANY (:v2)) AS tied");
    assertThat(probe.inOrder(SqlStatement.of(probe.text()).parameters()))
        .containsExactly(days, List.of("norra"), List.of(7L));
  }

  @Test
  void partsAreOneParameterOfTheColumnsKind() {
    UUID id = UUID.randomUUID();
    assertThat(PartsText.values(ColumnKind.UUID, Set.of(id.toString()))).isEqualTo(List.of(id));
    assertThat(PartsText.values(ColumnKind.BOOLEAN, Set.of("true"))).isEqualTo(List.of(true));
    for (ColumnKind.Type type : ColumnKind.Type.values()) {
      ColumnKind kind = ColumnKind.valueOf(type.name());
      assertThat(kind.value(kind.example()) != null).isEqualTo(type != ColumnKind.Type.UNKNOWN);
    }
  }
}
