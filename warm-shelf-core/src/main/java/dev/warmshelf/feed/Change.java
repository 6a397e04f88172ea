package dev.warmshelf.feed;

import dev.warmshelf.lane.Lane;
import java.time.Duration;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * One statement's change to one table.
 *
 * @param transaction names the transaction that made it, as the database does
 * @param table the table's lane
 * @param groups the groups that the changed rows were in before or are in now, as {@link
 *     dev.warmshelf.lane.ColumnKind#group} writes them; null if they were not told apart
 * @param kind the database's word for what happened, to show
 * @param age how long before the look the change was made, by the database's clock, to show
 */
public record Change(
    String transaction, Lane table, @Nullable List<String> groups, String kind, Duration age) {
  /** Keeps a copy of the list. */
  public Change {
    groups = groups == null ? null : List.copyOf(groups);
  }
}
