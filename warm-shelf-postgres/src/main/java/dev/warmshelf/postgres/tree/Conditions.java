package dev.warmshelf.postgres.tree;

import dev.warmshelf.statement.Analysis.PinValue;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * What conditions say of columns: of which values one must be for all of them to hold.
 *
 * <p>An equality counts only if its operator is the type's own, under a collation by which strings
 * are equal only if their bytes are. Operators and types are named by their numbers, which are the
 * same in every PostgreSQL (pg_operator.dat, pg_type.dat).
 */
final class Conditions {
  /** Whole numbers of any width, strings, days, UUIDs, booleans. */
  private static final Set<Integer> EQUALITIES =
      Set.of(94, 532, 1862, 96, 533, 15, 410, 1868, 416, 98, 1093, 2972, 91);

  private static final int TEXT_EQUALITY = 98;
  private static final int BOOLEAN = 16;
  private static final String IS_TRUE = "0";
  private static final String IS_FALSE = "2";

  /** More values than that pin nothing: the lanes would cost more than they spare. */
  private static final int MOST_VALUES = 500;

  private final Facts facts;

  Conditions(Facts facts) {
    this.facts = facts;
  }

  /**
   * The columns that are pinned if all conditions hold.
   *
   * @param level the query that they stand in
   * @param known what is known beforehand, of the queries around it for instance
   */
  Map<Level.Column, List<PinValue>> pins(
      List<TreeNode> conditions, Level level, Map<Level.Column, List<PinValue>> known) {
    Classes classes = new Classes(known);
    for (TreeNode condition : conditions) {
      add(condition, level, classes, known);
    }
    return classes.pins();
  }

  private void add(
      TreeNode condition, Level level, Classes classes, Map<Level.Column, List<PinValue>> known) {
    if (condition.is("OPEXPR") && isEquality(condition)) {
      equality(condition.nodes("args"), level, classes);
    } else if (condition.is("SCALARARRAYOPEXPR")
        && condition.flag("useOr")
        && isEquality(condition)) {
      List<TreeNode> args = condition.nodes("args");
      Level.Column column = level.column(args.get(0));
      List<PinValue> values = members(args.get(1));
      if (column != null && values != null) {
        classes.pin(column, values);
      }
    } else if (condition.is("BOOLEXPR") && condition.text("boolop").equals("or")) {
      alternatives(condition.nodes("args"), level, known).forEach(classes::pin);
    } else {
      truth(condition, level, classes);
    }
  }

  private boolean isEquality(TreeNode comparison) {
    int operator = comparison.number("opno");
    return EQUALITIES.contains(operator)
        && (operator != TEXT_EQUALITY || facts.isDeterministic(comparison.oid("inputcollid")));
  }

  private static void equality(List<TreeNode> sides, Level level, Classes classes) {
    Level.Column left = level.column(sides.get(0));
    Level.Column right = level.column(sides.get(1));
    if (left != null && right != null) {
      classes.join(left, right);
    } else if (left != null) {
      pin(left, sides.get(1), classes);
    } else if (right != null) {
      pin(right, sides.get(0), classes);
    }
  }

  private static void pin(Level.Column column, TreeNode to, Classes classes) {
    PinValue value = value(to);
    if (value != null) {
      classes.pin(column, List.of(value));
    }
  }

  /** A column is pinned if each alternative pins it, to any of their values. */
  private Map<Level.Column, List<PinValue>> alternatives(
      List<TreeNode> alternatives, Level level, Map<Level.Column, List<PinValue>> known) {
    Map<Level.Column, List<PinValue>> all = new LinkedHashMap<>();
    boolean first = true;
    for (TreeNode alternative : alternatives) {
      Map<Level.Column, List<PinValue>> one = pins(Level.conjuncts(alternative), level, known);
      if (first) {
        all.putAll(one);
      } else {
        all.keySet().retainAll(one.keySet());
        all.replaceAll((column, values) -> union(values, one.getOrDefault(column, List.of())));
      }
      first = false;
    }
    all.values().removeIf(values -> values.size() > MOST_VALUES);
    return all;
  }

  private static List<PinValue> union(List<PinValue> one, List<PinValue> other) {
    List<PinValue> all = new ArrayList<>(one);
    other.stream().filter(value -> !all.contains(value)).forEach(all::add);
    return all;
  }

  /** A boolean column alone, its opposite, or {@code IS TRUE} and {@code IS FALSE}. */
  private static void truth(TreeNode condition, Level level, Classes classes) {
    boolean expected = true;
    TreeNode inner = condition;
    if (condition.is("BOOLEXPR") && condition.text("boolop").equals("not")) {
      expected = false;
      inner = condition.nodes("args").get(0);
    } else if (condition.is("BOOLEANTEST")
        && (condition.text("booltesttype").equals(IS_TRUE)
            || condition.text("booltesttype").equals(IS_FALSE))) {
      expected = condition.text("booltesttype").equals(IS_TRUE);
      inner = condition.nodes("arg").get(0);
    }
    if (inner.is("VAR") && inner.number("vartype") == BOOLEAN) {
      Level.Column column = level.column(inner);
      if (column != null) {
        classes.pin(column, List.of(new PinValue.Fixed(expected)));
      }
    }
  }

  /** Two columns of which a condition says that they are equal. */
  record EqualColumns(Level.Column one, Level.Column other) {}

  /** The two columns of which this condition says that they are equal; null if it does not. */
  @Nullable EqualColumns equalColumns(TreeNode condition, Level level) {
    if (!condition.is("OPEXPR") || !isEquality(condition)) {
      return null;
    }
    Level.Column one = level.column(condition.nodes("args").get(0));
    Level.Column other = level.column(condition.nodes("args").get(1));
    return one == null || other == null ? null : new EqualColumns(one, other);
  }

  private static @Nullable List<PinValue> members(TreeNode array) {
    PinValue whole = array.is("PARAM") ? value(array) : null;
    if (whole != null) {
      return List.of(whole);
    } else if (!array.is("ARRAYEXPR") || array.flag("multidims")) {
      return null;
    }
    List<PinValue> values = new ArrayList<>();
    for (TreeNode element : array.nodes("elements")) {
      PinValue value = value(element);
      if (value == null || values.size() == MOST_VALUES) {
        return null;
      }
      values.add(value);
    }
    return values;
  }

  /** What an expression's value is before anything is read; null if that is not known. */
  private static @Nullable PinValue value(TreeNode expression) {
    TreeNode inner = Level.withoutRelabels(expression);
    if (inner.is("PARAM") && inner.text("paramkind").equals("0")) {
      return new PinValue.Bound(inner.number("paramid"));
    } else if (!inner.is("CONST")) {
      return null;
    } else if (inner.flag("constisnull")) {
      return new PinValue.Fixed(null);
    }
    byte[] bytes = inner.bytes("constvalue");
    Object value = bytes == null ? null : constant(inner.number("consttype"), bytes);
    return value == null ? null : new PinValue.Fixed(value);
  }

  /** The server's memory as a value; its numbers' lowest byte comes first on what it runs on. */
  private static @Nullable Object constant(int type, byte[] bytes) {
    ByteBuffer buffer = ByteBuffer.wrap(bytes).order(ByteOrder.LITTLE_ENDIAN);
    return switch (type) {
      case BOOLEAN -> bytes[0] != 0;
      case 21 -> (int) buffer.getShort();
      case 23 -> buffer.getInt();
      case 20 -> buffer.getLong();
      case 25, 1043 -> string(bytes);
      case 1082 -> day(buffer.getInt());
      case 2950 ->
          bytes.length == 16
              ? new UUID(
                  ByteBuffer.wrap(bytes).getLong(), ByteBuffer.wrap(bytes).getLong(Long.BYTES))
              : null;
      default -> null;
    };
  }

  /** A length of four bytes, then the text; null where it is stored in another way. */
  private static @Nullable String string(byte[] bytes) {
    if (bytes.length < Integer.BYTES) {
      return null;
    }
    int length = ByteBuffer.wrap(bytes).order(ByteOrder.LITTLE_ENDIAN).getInt() >>> 2;
    boolean plain = (bytes[0] & 3) == 0 && length == bytes.length;
    String text =
        new String(bytes, Integer.BYTES, bytes.length - Integer.BYTES, StandardCharsets.UTF_8);
    return plain && text.chars().allMatch(c -> c > 0 && c < 0x80) ? text : null;
  }

  private static final LocalDate FIRST_DAY = LocalDate.of(2000, 1, 1);

  private static @Nullable LocalDate day(int sinceFirst) {
    return sinceFirst == Integer.MAX_VALUE || sinceFirst == Integer.MIN_VALUE
        ? null
        : FIRST_DAY.plusDays(sinceFirst);
  }

  /** Columns that are equal to each other, and what values each class of them may have. */
  private static final class Classes {
    private final Map<Level.Column, Level.Column> parents = new HashMap<>();
    private final Map<Level.Column, List<PinValue>> values = new HashMap<>();
    private final Set<Level.Column> members = new LinkedHashSet<>();

    Classes(Map<Level.Column, List<PinValue>> known) {
      known.forEach(this::pin);
    }

    private Level.Column root(Level.Column column) {
      Level.Column at = column;
      for (Level.Column up = parents.get(at); up != null; up = parents.get(at)) {
        at = up;
      }
      return at;
    }

    void join(Level.Column one, Level.Column other) {
      Level.Column root = root(one);
      Level.Column below = root(other);
      if (!root.equals(below)) {
        parents.put(below, root);
        List<PinValue> carried = values.remove(below);
        if (carried != null) {
          pin(root, carried);
        }
      }
      members.add(one);
      members.add(other);
    }

    /** Of two lists that must both hold, the shorter says more. */
    void pin(Level.Column column, List<PinValue> to) {
      members.add(column);
      values.merge(root(column), to, (one, other) -> other.size() < one.size() ? other : one);
    }

    Map<Level.Column, List<PinValue>> pins() {
      Map<Level.Column, List<PinValue>> pins = new LinkedHashMap<>();
      for (Level.Column column : members) {
        List<PinValue> found = values.get(root(column));
        if (found != null) {
          pins.put(column, found);
        }
      }
      return pins;
    }
  }
}
