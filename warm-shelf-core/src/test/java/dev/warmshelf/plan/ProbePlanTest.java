package dev.warmshelf.plan;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.InterestPlan.Pinned;
import dev.warmshelf.plan.ProbePlan.Condition;
import dev.warmshelf.plan.ProbePlan.Further;
import dev.warmshelf.plan.ProbePlan.Link;
import dev.warmshelf.plan.ProbePlan.Rows;
import dev.warmshelf.plan.ProbePlan.Target;
import dev.warmshelf.plan.ProbePlan.Tied;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

class ProbePlanTest {
  private static final Lane BOOKING = Lane.ofTable("public", "booking");
  private static final Lane SAILING = Lane.ofTable("public", "sailing");
  private static final Lane ROUTE = Lane.ofTable("public", "route");

  private static final Pinned PORT = new Pinned(ColumnKind.TEXT, List.of(new Source.Parameter(0)));

  private static final Link TO_ROUTE =
      new Link("route", ColumnKind.INTEGER, new Target(ROUTE, Map.of("port", PORT), null), "id");

  private static final Link TO_SAILING =
      new Link("sailing", ColumnKind.INTEGER, new Target(SAILING, Map.of(), TO_ROUTE), "id");

  private static final ProbePlan PLAN =
      new ProbePlan(Map.of(BOOKING, List.of(TO_SAILING), SAILING, List.of(TO_ROUTE)));

  private static final Rows ROUTES =
      new Rows(ROUTE, List.of(new Condition("port", ColumnKind.TEXT, Set.of("norra"))), null);

  @Test
  void changedRowsAreTiedByTheirValuesFromTableToTable() {
    Rows sailings = new Rows(SAILING, List.of(), new Further("route", "id", ROUTES));
    assertThat(tied("norra", booked("7", "9"), booked("9", null)))
        .containsExactly(tiedTo(sailings, "7", "9"));
    assertThat(tied("norra", moved("3"))).containsExactly(tiedTo(ROUTES, "3"));
    assertThat(PLAN.all(new Object[] {"norra"}))
        .containsExactlyInAnyOrder(tiedTo(sailings, "0"), tiedTo(ROUTES, "0"));
  }

  private static Tied tiedTo(Rows rows, String... ids) {
    return new Tied(rows, new Condition("id", ColumnKind.INTEGER, Set.of(ids)));
  }

  /**
   * A booking of a sailing that has moved: what the sailing's row says now, it did not say then.
   */
  @Test
  void nothingIsTiedToWhatHasChangedItself() {
    assertThat(tied("norra", booked("7"), moved("3"))).isNull();
  }

  @Test
  void whatIsNotToldIsNotTied() {
    assertThat(tied("norra", Change.atLarge(BOOKING))).isNull();
    assertThat(tied("norra", change(ROUTE, "id", "3"))).isNull();
    assertThat(tied("norra", change(BOOKING, "agent", "3"))).isNull();
    assertThat(tied("n".repeat(ColumnKind.LONGEST_TEXT), moved("3")))
        .as("of a long text only the beginning is known")
        .isNull();
    String[] many = new String[51];
    for (int i = 0; i < many.length; i++) {
      many[i] = Integer.toString(i);
    }
    assertThat(tied("norra", booked(many))).isNull();
  }

  @Test
  void aRosterHoldsWhatIsTiedOrMayBe() {
    Tied tied = tiedTo(ROUTES, "7");
    assertThat(tied.isIn(rows(3, 4))).isFalse();
    assertThat(tied.isIn(rows(3, null, 7))).isTrue();
    assertThat(tied.isIn(rows(3, "of another kind"))).isTrue();
  }

  private static FootprintPlan.Rows rows(@Nullable Object... values) {
    return new FootprintPlan.Rows() {
      @Override
      public int size() {
        return values.length;
      }

      @Override
      public @Nullable Object value(int row, int column) {
        return values[row];
      }
    };
  }

  private static @Nullable List<Tied> tied(String port, Change... changes) {
    return PLAN.tied(List.of(changes), new Object[] {port}, 50);
  }

  private static Change booked(@Nullable String... sailings) {
    return change(BOOKING, "sailing", sailings);
  }

  private static Change moved(String route) {
    return change(SAILING, "route", route);
  }

  private static Change change(Lane table, String column, @Nullable String... values) {
    List<ChangedRow> rows =
        Arrays.stream(values).map(value -> new ChangedRow(List.of(column), value)).toList();
    return new Change(
        "1", table, Optional.ofNullable(rows), Optional.empty(), "UPDATE", Duration.ZERO);
  }
}
