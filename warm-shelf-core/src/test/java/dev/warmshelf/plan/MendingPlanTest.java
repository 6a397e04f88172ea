package dev.warmshelf.plan;

import static org.assertj.core.api.Assertions.assertThat;

import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ChangedRow;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.MendingPlan.Division;
import dev.warmshelf.plan.MendingPlan.Sort;
import dev.warmshelf.plan.MendingPlan.Wanted;
import java.math.BigDecimal;
import java.time.Duration;
import java.time.LocalDate;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;
import org.junit.jupiter.api.Test;

class MendingPlanTest {
  private static final Lane SHOP = Lane.ofTable("public", "shop");
  private static final Lane ITEM = Lane.ofTable("public", "item");
  private static final Division BY_SHOP =
      new Division(
          0, ColumnKind.INTEGER, Map.of(SHOP, Set.of("id"), ITEM, Set.of("shop", "was_in")));

  /** Answers of a shop, a day and a name, by day and shop. */
  private static final MendingPlan PLAN =
      new MendingPlan(
          List.of(BY_SHOP), List.of(new Sort(1, false, false), new Sort(0, false, false)));

  private static final LocalDate DAY = LocalDate.of(2026, 5, 1);

  private static FootprintPlan.Rows rows(Object[]... rows) {
    return new FootprintPlan.Rows() {
      @Override
      public int size() {
        return rows.length;
      }

      @Override
      public @Nullable Object value(int row, int column) {
        return rows[row][column];
      }
    };
  }

  private static Object[] row(int shop, @Nullable LocalDate day, String name) {
    return new Object[] {shop, day, name};
  }

  private static Change change(Lane table, List<String> columns, String... texts) {
    List<ChangedRow> rows = List.of(new ChangedRow(columns, texts));
    return new Change(
        "1", table, Optional.ofNullable(rows), Optional.of(Set.of()), "UPDATE", Duration.ZERO);
  }

  private static Wanted wanted(String... shops) {
    return new Wanted(BY_SHOP, Set.of(shops));
  }

  @Test
  void everyColumnThatTellsNamesPartsToAskFor() {
    Change item = change(ITEM, List.of("kind", "was_in", "shop"), "x", "3", "4");
    Change shop = change(SHOP, List.of("id"), "7");
    Wanted all = PLAN.wanted(rows(), List.of(item, shop), 3);
    assertThat(all).isEqualTo(wanted("3", "4", "7"));
    assertThat(PLAN.wanted(rows(), List.of(item, shop), 2)).as("too many").isNull();
  }

  @Test
  void whatDoesNotTellItsPartIsNotMended() {
    Change nulls = change(ITEM, List.of("shop", "was_in"), "3", null);
    Change untold = change(ITEM, List.of("shop"), "3");
    Change other = change(Lane.ofTable("public", "town"), List.of("id"), "3");
    for (Change change : List.of(nulls, untold, other, Change.atLarge(SHOP))) {
      assertThat(PLAN.wanted(rows(), List.of(change), 9)).as(change.toString()).isNull();
    }
    Division byName = new Division(2, ColumnKind.TEXT, Map.of(SHOP, Set.of("name")));
    Change cut = change(SHOP, List.of("name"), "x".repeat(ColumnKind.LONGEST_TEXT));
    assertThat(new MendingPlan(List.of(byName), List.of()).wanted(rows(), List.of(cut), 9))
        .isNull();
  }

  @Test
  void theFewestRowsAreAskedForAndNotMoreThanHalf() {
    Division byDay = new Division(1, ColumnKind.DATE, Map.of(SHOP, Set.of("day")));
    MendingPlan plan = new MendingPlan(List.of(byDay, BY_SHOP), List.of());
    Change change = change(SHOP, List.of("id", "day"), "1", "2026-05-01");
    FootprintPlan.Rows old =
        rows(row(1, DAY, "a"), row(2, DAY, "b"), row(3, DAY, "c"), row(4, DAY.plusDays(1), "d"));
    assertThat(plan.wanted(old, List.of(change), 9)).isEqualTo(wanted("1"));
    assertThat(plan.wanted(rows(row(1, DAY, "a")), List.of(change), 9)).isNull();
    assertThat(new MendingPlan(List.of(byDay), List.of()).wanted(old, List.of(change), 9)).isNull();
  }

  @Test
  void rowsTakeTheirPlaces() {
    FootprintPlan.Rows old =
        rows(row(1, DAY, "a"), row(2, DAY, "b"), row(4, DAY.plusDays(2), "c"), row(3, null, "d"));
    // 2 is another's name, 4 came nearer, 3 is gone, 5 is new.
    FootprintPlan.Rows asked =
        rows(row(2, DAY, "x"), row(4, DAY.minusDays(1), "c"), row(5, DAY.plusDays(1), "e"));
    assertThat(PLAN.places(old, asked, wanted("2", "3", "4", "5")))
        .isEqualTo(List.of(-2, 0, -1, -3));
    assertThat(PLAN.places(old, rows(), wanted("1", "2", "3", "4"))).isEqualTo(List.of());
    assertThat(PLAN.places(rows(), asked, wanted("2", "4", "5"))).isEqualTo(List.of(-2, -1, -3));
  }

  @Test
  void nullsStandWhereTheDatabasePutsThem() {
    FootprintPlan.Rows old = rows(row(1, DAY, "a"), row(2, DAY, "b"));
    FootprintPlan.Rows asked = rows(row(3, null, "c"));
    assertThat(PLAN.places(old, asked, wanted("3"))).isEqualTo(List.of(0, 1, -1));
    MendingPlan first = new MendingPlan(List.of(BY_SHOP), List.of(new Sort(1, true, true)));
    assertThat(first.places(old, asked, wanted("3"))).isEqualTo(List.of(-1, 0, 1));
  }

  @Test
  void aPartOfSeveralRowsIsPutInOneByOne() {
    FootprintPlan.Rows old = rows(row(1, DAY, "a"), row(1, DAY.plusDays(3), "a"), row(2, DAY, "b"));
    FootprintPlan.Rows asked = rows(row(1, DAY.plusDays(4), "a"), row(1, DAY.minusDays(1), "a"));
    assertThat(PLAN.places(old, asked, wanted("1"))).isEqualTo(List.of(-2, 2, -1));
  }

  @Test
  void anAnswerThatIsNotWhatWasAskedForIsNotTaken() {
    FootprintPlan.Rows old = rows(row(1, DAY, "a"));
    assertThat(PLAN.places(old, rows(row(2, DAY, "b")), wanted("1"))).isNull();
    assertThat(PLAN.places(old, rows(new Object[] {null, DAY, "b"}), wanted("1"))).isNull();
  }

  @Test
  void whatJavaOrdersOtherwiseHasNoPlace() {
    MendingPlan byName = new MendingPlan(List.of(BY_SHOP), List.of(new Sort(2, false, false)));
    FootprintPlan.Rows old = rows(row(1, DAY, "a"), row(2, DAY, "c"));
    assertThat(byName.places(old, rows(row(3, DAY, "b")), wanted("3"))).isNull();
    assertThat(byName.places(old, rows(row(2, null, "c")), wanted("2")))
        .as("its name is what it was")
        .isEqualTo(List.of(0, -1));
  }

  @Test
  void valuesAreComparedAsTheDatabaseDoes() {
    List<Object> smaller =
        Arrays.asList(1, 1L, (short) 1, new BigDecimal("1.00"), DAY, DAY.atStartOfDay(), false);
    List<Object> larger =
        Arrays.asList(
            2, 2L, (short) 2, new BigDecimal("1.1"), DAY.plusDays(1), DAY.atTime(1, 0), true);
    for (int i = 0; i < smaller.size(); i++) {
      assertThat(SameOrder.compare(smaller.get(i), larger.get(i))).isNegative();
      assertThat(SameOrder.compare(larger.get(i), smaller.get(i))).isPositive();
    }
    assertThat(SameOrder.compare(new BigDecimal("1.0"), new BigDecimal("1.00"))).isZero();
    assertThat(SameOrder.compare("a", "b")).isNull();
    assertThat(SameOrder.compare(0.0, -0.0)).isNull();
    assertThat(SameOrder.compare(1, 1L)).isNull();
  }
}
