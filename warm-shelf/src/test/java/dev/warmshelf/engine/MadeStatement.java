package dev.warmshelf.engine;

import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;

/**
 * A read over the demo's tables, made at random, that can be written in many ways which all ask the
 * same: spacing, comments, letter case, constants or parameters, the order of operands and of list
 * members.
 */
final class MadeStatement {
  private static final Map<String, List<String>> COLUMNS = new LinkedHashMap<>();

  static {
    COLUMNS.put(
        "sailing", List.of("id:i", "route_id:i", "vessel_id:i", "status:t", "day:d", "version:i"));
    COLUMNS.put(
        "booking", List.of("id:i", "sailing_id:i", "metres:n", "seats:i", "cents:i", "status:t"));
    COLUMNS.put("port", List.of("id:i", "code:t", "name:t", "island:t", "status:t"));
    COLUMNS.put("notice", List.of("id:i", "port_id:i", "severity:t", "text:t", "version:i"));
  }

  private static final String[] TEXTS = {
    "OPEN", "HELD", "CANCELLED", "Norra", "INFORMATION", "", "it's", "7"
  };
  private static final String[] COMPARISONS = {"=", "<>", "<", ">", "<=", ">="};

  private final String table;
  private final List<String> selected = new ArrayList<>();
  private Condition condition;
  private final int limit;

  /** A condition over one table. */
  private sealed interface Condition {
    record Compare(String column, String operator, Object value) implements Condition {}

    record In(String column, boolean negated, List<Object> values) implements Condition {}

    record Between(String column, Object low, Object high) implements Condition {}

    record Null(String column) implements Condition {}

    record Not(Condition inner) implements Condition {}

    /** A comparison within {@code CASE}, whose constants shape values and stay in the text. */
    record Cased(Compare inner, int then) implements Condition {}

    /** Two columns as a row. */
    record Row(String first, Object one, String second, Object other) implements Condition {}

    /** One of an array's elements. */
    record InArray(String column, List<Object> values) implements Condition {}

    record Chain(String operator, List<Condition> operands) implements Condition {}
  }

  /** A way to write the statement: its text, and its parameters' values by name. */
  record Writing(String sql, Map<String, Object> values) {}

  MadeStatement(Random random) {
    List<String> tables = List.copyOf(COLUMNS.keySet());
    table = tables.get(random.nextInt(tables.size()));
    List<String> columns = COLUMNS.get(table);
    selected.add(nameOf(columns.get(0)));
    for (int i = random.nextInt(3); i > 0; i--) {
      selected.add(nameOf(columns.get(random.nextInt(columns.size()))));
    }
    condition = make(random, 2);
    limit = random.nextInt(3) == 0 ? 1 + random.nextInt(20) : 0;
  }

  /** Changes one value, operator or column of the condition, so that it asks something else. */
  void mutate(Random random) {
    condition = mutate(condition, random);
  }

  /** Writes the statement in one of its ways. */
  Writing write(Random random) {
    return new Writer(random).write();
  }

  private Condition make(Random random, int depth) {
    List<String> columns = new ArrayList<>(COLUMNS.get(table));
    columns.addAll(List.of("w.on:i", "w.end:i", "w.where:i"));
    String column = columns.get(random.nextInt(columns.size()));
    return switch (random.nextInt(depth > 0 ? 10 : 7)) {
      case 4 ->
          new Condition.Cased(
              new Condition.Compare(nameOf(column), "=", value(random, column)), random.nextInt(3));
      case 5 -> {
        String second = columns.get(random.nextInt(columns.size()));
        yield new Condition.Row(
            nameOf(column), value(random, column), nameOf(second), value(random, second));
      }
      case 6 -> new Condition.InArray(nameOf(column), values(random, column));
      case 0 -> new Condition.In(nameOf(column), random.nextBoolean(), values(random, column));
      case 1 -> {
        Object low = value(random, column);
        yield low instanceof String
            ? new Condition.Null(nameOf(column))
            : new Condition.Between(nameOf(column), low, value(random, column));
      }
      case 2, 3 ->
          new Condition.Compare(
              nameOf(column),
              COMPARISONS[random.nextInt(COMPARISONS.length)],
              value(random, column));
      case 7 -> new Condition.Not(make(random, depth - 1));
      default -> {
        List<Condition> operands = new ArrayList<>();
        for (int i = 2 + random.nextInt(3); i > 0; i--) {
          operands.add(make(random, depth - 1));
        }
        yield new Condition.Chain(random.nextBoolean() ? "AND" : "OR", operands);
      }
    };
  }

  private static List<Object> values(Random random, String column) {
    List<Object> values = new ArrayList<>();
    for (int i = 1 + random.nextInt(4); i > 0; i--) {
      values.add(value(random, column));
    }
    return values;
  }

  private static Object value(Random random, String column) {
    return switch (column.charAt(column.length() - 1)) {
      case 'i' -> random.nextInt(60) - 5;
      case 'n' -> new BigDecimal(random.nextInt(80)).movePointLeft(1);
      case 'd' -> LocalDate.of(2026, 5, 1 + random.nextInt(3));
      default -> TEXTS[random.nextInt(TEXTS.length)];
    };
  }

  private static Condition mutate(Condition old, Random random) {
    if (old instanceof Condition.Compare c) {
      return random.nextBoolean()
          ? new Condition.Compare(c.column(), c.operator(), other(c.value()))
          : new Condition.Compare(
              c.column(), c.operator().equals("=") ? "<>" : "=", other(c.value()));
    } else if (old instanceof Condition.In in) {
      List<Object> values = new ArrayList<>(in.values());
      values.add(other(largest(values)));
      return new Condition.In(in.column(), in.negated(), values);
    } else if (old instanceof Condition.Between b) {
      return new Condition.Between(b.column(), other(b.low()), b.high());
    } else if (old instanceof Condition.Null n) {
      return new Condition.Compare(n.column(), "=", "never");
    } else if (old instanceof Condition.Not not) {
      return not.inner();
    } else if (old instanceof Condition.Cased cased) {
      return new Condition.Cased(cased.inner(), cased.then() + 1);
    } else if (old instanceof Condition.Row row) {
      return new Condition.Row(row.first(), other(row.one()), row.second(), row.other());
    } else if (old instanceof Condition.InArray in) {
      return new Condition.InArray(in.column(), List.of(other(largest(in.values()))));
    }
    Condition.Chain chain = (Condition.Chain) old;
    List<Condition> operands = new ArrayList<>(chain.operands());
    operands.add(new Condition.Compare("id", "=", 1_000_000));
    return new Condition.Chain(chain.operator(), operands);
  }

  private static Object largest(List<Object> values) {
    return values.stream().max((a, b) -> a.toString().compareTo(b.toString())).orElseThrow();
  }

  private static Object other(Object value) {
    if (value instanceof Integer i) {
      return i + 1_000;
    } else if (value instanceof BigDecimal n) {
      return n.add(new BigDecimal("1000.0"));
    } else if (value instanceof LocalDate d) {
      return d.plusDays(1_000);
    }
    return value + "+";
  }

  private static String nameOf(String column) {
    return column.substring(0, column.length() - 2);
  }

  /** One way of writing. */
  private final class Writer {
    private final Random random;
    private final Map<String, Object> values = new LinkedHashMap<>();

    Writer(Random random) {
      this.random = random;
    }

    Writing write() {
      String columns = String.join(" , ", selected);
      String sql =
          "SELECT "
              + columns
              + " FROM "
              + from()
              + " WHERE "
              + text(condition, false)
              + " ORDER BY "
              + columns;
      if (limit > 0) {
        sql += " LIMIT " + text(limit);
      }
      return new Writing(spaced(sql) + (random.nextBoolean() ? ";" : ""), values);
    }

    /** Columns that are called like words of the language, beside the table's own. */
    private String from() {
      return "( SELECT t.* , id AS \"on\" , id AS \"end\" , id AS \"where\" FROM "
          + table
          + " t ) w";
    }

    private String text(Condition what, boolean enclosed) {
      if (what instanceof Condition.Compare c) {
        String operator = c.operator().equals("<>") && random.nextBoolean() ? "!=" : c.operator();
        return c.column() + " " + operator + " " + text(c.value());
      } else if (what instanceof Condition.In in) {
        List<Object> members = new ArrayList<>(in.values());
        members.add(members.get(random.nextInt(members.size())));
        Collections.shuffle(members, random);
        if (random.nextInt(3) == 0) {
          return in.column() + bound(in.negated(), members);
        }
        String list = String.join(" , ", members.stream().map(this::text).toList());
        return in.column() + (in.negated() ? " NOT" : "") + " IN ( " + list + " )";
      } else if (what instanceof Condition.Between b) {
        return b.column() + " BETWEEN " + text(b.low()) + " AND " + text(b.high());
      } else if (what instanceof Condition.Cased cased) {
        Condition.Compare inner = cased.inner();
        String when = inner.column() + " " + inner.operator() + " " + constant(inner.value());
        return "CASE WHEN " + when + " THEN " + cased.then() + " ELSE 1 END = " + text(1);
      } else if (what instanceof Condition.Row row) {
        String columns = "( " + row.first() + " , " + row.second() + " )";
        return columns + " = ( " + constant(row.one()) + " , " + constant(row.other()) + " )";
      } else if (what instanceof Condition.InArray in) {
        List<String> members = in.values().stream().map(this::constant).toList();
        return in.column() + " = ANY ( ARRAY [ " + String.join(" , ", members) + " ] )";
      } else if (what instanceof Condition.Null n) {
        return n.column() + " IS NULL";
      } else if (what instanceof Condition.Not not) {
        return "NOT ( " + text(not.inner(), false) + " )";
      }
      Condition.Chain chain = (Condition.Chain) what;
      List<Condition> operands = new ArrayList<>(chain.operands());
      Collections.shuffle(operands, random);
      String joined =
          String.join(
              " " + chain.operator() + " ", operands.stream().map(o -> text(o, true)).toList());
      return enclosed ? "( " + joined + " )" : joined;
    }

    /** A list as one parameter. */
    private String bound(boolean negated, List<Object> members) {
      String name = "p" + values.size();
      values.put(name, members);
      if (random.nextBoolean()) {
        return (negated ? " NOT IN" : " IN") + " ( :" + name + " )";
      }
      return (negated ? " <> ALL" : " = ANY") + " ( :" + name + " )";
    }

    /** A value as a constant or as a parameter; whole numbers in any width. */
    private String text(Object value) {
      if (random.nextBoolean()) {
        return constant(value);
      }
      String name = "p" + values.size();
      values.put(name, value instanceof Integer i ? widened(i) : value);
      return ":" + name;
    }

    private Object widened(int value) {
      return switch (random.nextInt(3)) {
        case 0 -> value;
        case 1 -> (long) value;
        default -> (short) value;
      };
    }

    private String constant(Object value) {
      if (value instanceof String text) {
        return "'" + text.replace("'", "''") + "'";
      } else if (value instanceof LocalDate) {
        return "date '" + value + "'";
      }
      return value.toString();
    }

    /** Other blanks, comments and letter case between and in the words; strings stay. */
    private String spaced(String sql) {
      StringBuilder out = new StringBuilder();
      boolean quoted = false;
      boolean name = false;
      boolean upper = random.nextBoolean();
      for (int i = 0; i < sql.length(); i++) {
        char c = sql.charAt(i);
        quoted ^= c == '\'' || c == '"';
        name = c == ':' || (name && Character.isLetterOrDigit(c));
        if (c == ' ' && !quoted) {
          out.append(
              switch (random.nextInt(6)) {
                case 0 -> "\n\t";
                case 1 -> " /* a 'note' /* nested */ */ ";
                case 2 -> " -- it's :so\n";
                default -> " ";
              });
        } else {
          out.append(
              quoted || name ? c : upper ? Character.toUpperCase(c) : Character.toLowerCase(c));
        }
      }
      return out.toString();
    }
  }
}
