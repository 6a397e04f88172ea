package dev.warmshelf.key;

import java.util.Objects;

/**
 * Something that changes as a whole as far as freshness is concerned. For a table {@code T}:
 *
 * <ul>
 *   <li>{@code T} itself, which every change of the table ticks;
 *   <li>{@code T.c=v}, the group of its rows whose column {@code c} is {@code v}: ticked by every
 *       changed row that was in the group before or is in it after;
 *   <li>{@code T at large}, ticked by changes that were not told apart.
 * </ul>
 *
 * <p>An answer that was read from a group stands on the group and on the table at large; one that
 * was read from the table stands on the table. Lanes that are no table's are named by whoever ticks
 * them ({@link #ofTag}).
 *
 * <p>Lanes compare by name. A table's lane is named {@code schema.table}, both as the database's
 * catalogue spells them; the name of a partition or of an inheritance child never appears, since
 * its changes count as changes of its root.
 *
 * <p>Immutable.
 */
public final class Lane implements Comparable<Lane> {
  private final String name;
  private final long hash;

  private Lane(String name) {
    this.name = name;
    this.hash = mix(name);
  }

  /**
   * The lane of a table.
   *
   * @param schema the schema as the catalogue spells it
   * @param table the table as the catalogue spells it
   */
  public static Lane ofTable(String schema, String table) {
    return new Lane(
        Objects.requireNonNull(schema, "schema") + "." + Objects.requireNonNull(table, "table"));
  }

  /** The lane with this name, as {@link #name()} gave it; feeds carry lanes by name. */
  public static Lane named(String name) {
    return new Lane(Objects.requireNonNull(name, "name"));
  }

  /** The lane of what the engineer calls by this tag. */
  public static Lane ofTag(String tag) {
    return new Lane("tag " + Objects.requireNonNull(tag, "tag"));
  }

  /** Of a table's lane: its changes that were not told apart. */
  public Lane atLarge() {
    return new Lane(name + " at large");
  }

  /**
   * Of a table's lane: one group of its rows.
   *
   * @param group column, equals sign and value, as {@link ValueKind#group} writes them
   */
  public Lane group(String group) {
    return new Lane(name + "." + group);
  }

  /** About how many bytes the lane takes in memory. */
  public long bytes() {
    return 24L + 40 + name.length();
  }

  public String name() {
    return name;
  }

  /** 64 well-mixed bits of the name, the same in every process. */
  public long hash() {
    return hash;
  }

  @Override
  public int compareTo(Lane other) {
    return name.compareTo(other.name);
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof Lane that && hash == that.hash && name.equals(that.name);
  }

  @Override
  public int hashCode() {
    return Long.hashCode(hash);
  }

  @Override
  public String toString() {
    return name;
  }

  /** FNV-1a over UTF-16 units, then the finalizer of MurmurHash3 (both public domain). */
  private static long mix(String text) {
    long h = 0xcbf29ce484222325L;
    for (int i = 0; i < text.length(); i++) {
      h = (h ^ text.charAt(i)) * 0x100000001b3L;
    }
    h = (h ^ (h >>> 33)) * 0xff51afd7ed558ccdL;
    h = (h ^ (h >>> 33)) * 0xc4ceb9fe1a85ec53L;
    return h ^ (h >>> 33);
  }
}
