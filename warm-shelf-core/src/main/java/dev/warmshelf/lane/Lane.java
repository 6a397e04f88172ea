package dev.warmshelf.lane;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.regex.Pattern;

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
 * <p>An answer that was read from a group depends on the group and on the table at large; one that
 * was read from the table depends on the table. Lanes that are no table's are named by whoever
 * ticks them ({@link #ofTag}).
 *
 * <p>A lane is its kind and its parts, such as schema and table; two lanes whose names look alike
 * are two lanes. The name of a partition or of an inheritance child never appears, since its
 * changes count as changes of its root.
 *
 * <p>Immutable.
 */
public final class Lane implements Comparable<Lane> {
  /** What the database notes of its own schema, as a feed carries it. */
  public static final Lane SCHEMA = new Lane(Kind.SCHEMA, List.of());

  private static final Pattern PLAIN = Pattern.compile("[a-z_][a-z0-9_$]*");

  private enum Kind {
    TABLE,
    GROUP,
    AT_LARGE,
    TAG,
    CLEARING,
    MEANING,
    SCHEMA
  }

  private final Kind kind;
  private final List<String> parts;
  private final long hash;

  private Lane(Kind kind, List<String> parts) {
    this.kind = kind;
    this.parts = parts;
    this.hash = mix(kind, parts);
  }

  /**
   * The lane of a table.
   *
   * @param schema the schema as the catalogue spells it
   * @param table the table as the catalogue spells it
   */
  public static Lane ofTable(String schema, String table) {
    return new Lane(Kind.TABLE, List.of(schema, table));
  }

  /** The lane of what the engineer calls by this tag. */
  public static Lane ofTag(String tag) {
    return new Lane(Kind.TAG, List.of(tag));
  }

  /** What a shelf ticks when one of its keys is cleared. */
  public static Lane ofClearing(String shelf, String keyDigest) {
    return new Lane(Kind.CLEARING, List.of(shelf, keyDigest));
  }

  /** What a shelf ticks when the answers to all questions of a form are cleared. */
  public static Lane ofClearedForm(String shelf, String formDigest) {
    return new Lane(Kind.CLEARING, List.of(shelf, "form", formDigest));
  }

  /**
   * The lane of what a statement means: ticked when the schema has changed so that it may mean
   * something else.
   */
  public static Lane ofMeaning(String statement) {
    return new Lane(Kind.MEANING, List.of(statement));
  }

  /**
   * The table's lane that {@link #written()} wrote.
   *
   * @throws IllegalArgumentException if the text is not two quoted names with a dot between them
   */
  public static Lane read(String written) {
    List<String> names = new ArrayList<>();
    int at = 0;
    while (at < written.length() && written.charAt(at) == '"') {
      StringBuilder name = new StringBuilder();
      for (at++; at < written.length(); at++) {
        if (written.charAt(at) == '"') {
          at++;
          if (at == written.length() || written.charAt(at) != '"') {
            break;
          }
        }
        name.append(written.charAt(at));
      }
      names.add(name.toString());
      at += at < written.length() && written.charAt(at) == '.' ? 1 : 0;
    }
    Lane lane = names.size() == 2 ? ofTable(names.get(0), names.get(1)) : SCHEMA;
    if (!lane.written().equals(written)) {
      throw new IllegalArgumentException("'" + written + "' names no table's lane.");
    }
    return lane;
  }

  /** A table's lane as a feed carries it: both names in double quotes. */
  public String written() {
    return kind == Kind.TABLE ? quoted(parts.get(0)) + "." + quoted(parts.get(1)) : "*";
  }

  /**
   * Of a lane that changes with the data: its table's name, with the schema before it and without.
   */
  public Set<String> tableNames() {
    List<String> table = ofTable();
    return Set.of(table.get(1), table.get(0) + "." + table.get(1));
  }

  /** Of a table's lane: its changes that were not told apart. */
  public Lane atLarge() {
    return new Lane(Kind.AT_LARGE, ofTable());
  }

  /**
   * Of a table's lane: one group of its rows.
   *
   * @param group column, equals sign and value, as {@link ColumnKind#group} writes them
   */
  public Lane group(String group) {
    List<String> table = ofTable();
    return new Lane(Kind.GROUP, List.of(table.get(0), table.get(1), group));
  }

  /** Its kind and its parts, from which {@link #ofFields} makes it again in another process. */
  public List<String> fields() {
    List<String> fields = new ArrayList<>();
    fields.add(kind.name());
    fields.addAll(parts);
    return fields;
  }

  /**
   * The lane of these fields.
   *
   * @throws IllegalArgumentException if they are no lane's
   */
  public static Lane ofFields(List<String> fields) {
    Kind kind = Kind.valueOf(fields.get(0));
    List<String> parts = List.copyOf(fields.subList(1, fields.size()));
    boolean fits =
        switch (kind) {
          case TABLE, AT_LARGE -> parts.size() == 2;
          case GROUP -> parts.size() == 3;
          case TAG, MEANING -> parts.size() == 1;
          case CLEARING -> parts.size() == 2 || parts.size() == 3;
          case SCHEMA -> parts.isEmpty();
        };
    if (!fits) {
      throw new IllegalArgumentException(kind + " of " + parts.size() + " parts is no lane.");
    }
    return new Lane(kind, parts);
  }

  /** Whether each change of a table is one of it. */
  public boolean isWholeTable() {
    return kind == Kind.TABLE;
  }

  /** Whether it changes with the data of a table. */
  public boolean isData() {
    return kind == Kind.TABLE || kind == Kind.GROUP || kind == Kind.AT_LARGE;
  }

  /**
   * Of a lane that changes with the data: the table's lane.
   *
   * @throws IllegalStateException if it does not
   */
  public Lane table() {
    if (kind == Kind.TABLE) {
      return this;
    } else if (!isData()) {
      throw new IllegalStateException(name() + " is of no table.");
    }
    return ofTable(parts.get(0), parts.get(1));
  }

  private List<String> ofTable() {
    if (kind != Kind.TABLE) {
      throw new IllegalStateException(name() + " is not a table's lane.");
    }
    return parts;
  }

  /** Whether it is the lane of what a statement means, in this process. */
  public boolean isMeaning() {
    return kind == Kind.MEANING;
  }

  /** About how many bytes the lane takes in memory, with a stamp of its own. */
  public long bytes() {
    long bytes = 24L + 84 + 48L * parts.size();
    for (String part : parts) {
      bytes += part.length();
    }
    return bytes;
  }

  /** The lane in words, to show. */
  public String name() {
    return switch (kind) {
      case TABLE -> shownTable();
      case GROUP -> shownTable() + "." + parts.get(2);
      case AT_LARGE -> shownTable() + " at large";
      case TAG -> "tag " + parts.get(0);
      case CLEARING -> String.join(" ", "clearing of", String.join(" ", parts));
      case MEANING -> "meaning of " + parts.get(0);
      case SCHEMA -> "*";
    };
  }

  private String shownTable() {
    return shown(parts.get(0)) + "." + shown(parts.get(1));
  }

  private static String shown(String name) {
    return PLAIN.matcher(name).matches() ? name : quoted(name);
  }

  private static String quoted(String name) {
    return '"' + name.replace("\"", "\"\"") + '"';
  }

  /** 64 well-mixed bits of kind and parts, the same in every process. */
  public long hash() {
    return hash;
  }

  @Override
  public int compareTo(Lane other) {
    if (isData() != other.isData()) {
      return isData() ? -1 : 1;
    }
    int most = Math.min(parts.size(), other.parts.size());
    for (int i = 0; i < most; i++) {
      String one = parts.get(i);
      String another = other.parts.get(i);
      int compared = one.equals(another) ? 0 : one.compareTo(another);
      if (compared != 0) {
        return compared;
      }
    }
    int bySize = Integer.compare(parts.size(), other.parts.size());
    return bySize != 0 ? bySize : kind.compareTo(other.kind);
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof Lane that
        && hash == that.hash
        && kind == that.kind
        && parts.equals(that.parts);
  }

  @Override
  public int hashCode() {
    return Long.hashCode(hash);
  }

  @Override
  public String toString() {
    return name();
  }

  /** FNV-1a over UTF-16 units, then the finalizer of MurmurHash3 (both public domain). */
  private static long mix(Kind kind, List<String> parts) {
    long h = mixIn(0xcbf29ce484222325L, kind.name());
    for (String part : parts) {
      h = mixIn(h, part);
    }
    h = (h ^ (h >>> 33)) * 0xff51afd7ed558ccdL;
    h = (h ^ (h >>> 33)) * 0xc4ceb9fe1a85ec53L;
    return h ^ (h >>> 33);
  }

  private static long mixIn(long hash, String text) {
    long h = (hash ^ text.length()) * 0x100000001b3L;
    for (int i = 0; i < text.length(); i++) {
      h = (h ^ text.charAt(i)) * 0x100000001b3L;
    }
    return h;
  }
}
