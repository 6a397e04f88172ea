package dev.warmshelf.lane;

import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What a changed row was before a change, or is after it, as far as the columns tell by which its
 * table's changes are tracked.
 *
 * <p>Immutable.
 */
public final class ChangedRow {
  private final List<String> columns;
  private final @Nullable String[] texts;

  /**
   * @param columns tracked, as the catalogue spells them; rows of one table share the list
   * @param texts as many values, as {@link ColumnKind#group} writes them; null for SQL's null. Not
   *     copied: whoever makes this hands them over
   * @throws IllegalArgumentException if there are more or fewer texts than columns
   */
  public ChangedRow(List<String> columns, @Nullable String... texts) {
    if (columns.size() != texts.length) {
      throw new IllegalArgumentException(
          "There are " + columns.size() + " tracked columns, but " + texts.length + " values.");
    }
    this.columns = columns;
    this.texts = texts;
  }

  /** The tracked columns. */
  public List<String> columns() {
    return columns;
  }

  /** The value of a tracked column, by its place among them, from 0; null for SQL's null. */
  public @Nullable String text(int column) {
    return texts[column];
  }

  void addGroups(Collection<String> groups) {
    for (int i = 0; i < texts.length; i++) {
      if (texts[i] != null) {
        groups.add(columns.get(i) + "=" + texts[i]);
      }
    }
  }

  @Override
  public boolean equals(@Nullable Object other) {
    return other instanceof ChangedRow that
        && columns.equals(that.columns)
        && Arrays.equals(texts, that.texts);
  }

  @Override
  public int hashCode() {
    return Arrays.hashCode(texts);
  }

  @Override
  public String toString() {
    return columns + "=" + Arrays.toString(texts);
  }
}
