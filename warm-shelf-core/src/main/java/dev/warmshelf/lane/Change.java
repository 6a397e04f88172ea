package dev.warmshelf.lane;

import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;

/**
 * One statement's change to one table.
 *
 * @param transaction names the transaction that made it, as the database does
 * @param table the table's lane
 * @param rows of each changed row what it was before and what it is now, in no order, each version
 *     that looks alike once; empty if that was not told
 * @param unchanged by the catalogue's names, columns that are in each row what they were; empty if
 *     rows may have come or gone
 * @param kind the database's word for what happened, to show
 * @param age how long before the look the change was made, by the database's clock, to show
 */
public record Change(
    String transaction,
    Lane table,
    Optional<List<ChangedRow>> rows,
    Optional<Set<String>> unchanged,
    String kind,
    Duration age) {
  /** Keeps copies of list and set. */
  public Change {
    rows = rows.map(List::copyOf);
    unchanged = unchanged.map(Set::copyOf);
  }

  /** A change of which nothing is known but the table. */
  public static Change atLarge(Lane table) {
    return new Change("", table, Optional.empty(), Optional.empty(), "", Duration.ZERO);
  }

  /** Whether nothing is known of it but the table: it may be a clearing. */
  public boolean isAtLarge() {
    return transaction.isEmpty() && rows.isEmpty();
  }

  /**
   * The groups that the changed rows were in before or are in now, as {@link ColumnKind#group}
   * writes them; empty if that was not told.
   */
  public Optional<List<String>> groups() {
    if (rows.isEmpty()) {
      return Optional.empty();
    }
    Set<String> groups = new LinkedHashSet<>();
    for (ChangedRow row : rows.get()) {
      row.addGroups(groups);
    }
    return Optional.of(List.copyOf(groups));
  }

  /** The lanes to tick. */
  public List<Lane> lanes() {
    List<Lane> lanes = new ArrayList<>();
    lanes.add(table);
    groups()
        .ifPresentOrElse(
            groups -> groups.forEach(group -> lanes.add(table.group(group))),
            () -> lanes.add(table.atLarge()));
    return lanes;
  }
}
