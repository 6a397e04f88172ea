package dev.warmshelf.hunt;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.jspecify.annotations.Nullable;

/**
 * A statement made at random, with its parameters: a head, conditions that must all hold, and a
 * tail. What it is made of can be left out piece by piece, to find the piece that matters.
 *
 * @param head up to the conditions; ends before {@code WHERE}
 * @param conditions joined by {@code AND}
 * @param tail grouping, ordering and the like
 */
record Made(
    String head, List<String> conditions, String tail, Map<String, @Nullable Object> values) {
  private static final String[] NAMES = {"ash", "birch", "cedar", "it's", "", "Ash", "ümlaut"};
  private static final String[] MOODS = {"calm", "rough", "storm"};

  String text() {
    return head + (conditions.isEmpty() ? "" : " WHERE " + String.join(" AND ", conditions)) + tail;
  }

  /** The values of the parameters that the text has. */
  Map<String, @Nullable Object> used() {
    Map<String, @Nullable Object> used = new LinkedHashMap<>(values);
    used.keySet().removeIf(name -> !text().matches("(?s).*:" + name + "\\b.*"));
    return used;
  }

  /** The same without one of its conditions, or without its tail. */
  List<Made> simpler() {
    List<Made> simpler = new ArrayList<>();
    for (int i = 0; i < conditions.size(); i++) {
      List<String> fewer = new ArrayList<>(conditions);
      fewer.remove(i);
      simpler.add(new Made(head, fewer, tail, values));
    }
    if (!tail.isEmpty() && !tail.contains("GROUP BY")) {
      simpler.add(new Made(head, conditions, "", values));
    }
    return simpler;
  }

  static Made random(SplittableRandom random) {
    Maker maker = new Maker(random);
    return maker.enclosed(maker.make());
  }

  /** Makes one statement. */
  private static final class Maker {
    private final SplittableRandom random;
    private final Map<String, @Nullable Object> values = new LinkedHashMap<>();

    Maker(SplittableRandom random) {
      this.random = random;
    }

    private String one(String... of) {
      return of[random.nextInt(of.length)];
    }

    private boolean chance(int percent) {
      return random.nextInt(100) < percent;
    }

    /** The same with some conditions in parentheses, which mean nothing. */
    Made enclosed(Made made) {
      return new Made(
          made.head(),
          made.conditions().stream().map(each -> chance(25) ? "(" + each + ")" : each).toList(),
          made.tail(),
          made.values());
    }

    Made make() {
      return switch (random.nextInt(44)) {
        case 0, 1, 2 -> plain();
        case 3, 4 -> aggregate();
        case 5, 6 -> joined();
        case 7, 8, 9 -> outer();
        case 10 -> exists();
        case 11 -> setOperations();
        case 12 -> withClause();
        case 13 -> derivedTable();
        case 14 -> lateral();
        case 15 -> windows();
        case 16 -> distinct();
        case 17 -> views();
        case 18 -> partitions();
        case 19 -> oddNames();
        case 20 -> scalarSubqueries();
        case 21 -> chain();
        case 22 -> nested();
        case 23 -> lists();
        case 24, 25 -> subquery();
        case 26 -> correlated();
        case 27 -> using();
        case 28 -> bare();
        case 29 -> cases();
        case 30 -> severalRows();
        case 31 -> unionOfKinds();
        case 32 -> outerThenInner();
        case 33, 34, 35 -> reached();
        case 36 -> members();
        case 37, 38, 39 -> groups();
        case 40, 41 -> partsByName();
        case 42 -> ordersOfTheirOwn();
        default -> recursive();
      };
    }

    /** What changes of {@code edge} and {@code mark} reach through other tables only. */
    private Made reached() {
      List<String> conditions = conditions("n", 1);
      conditions.add(one("n.k = " + number(), "n.id = " + number(), "n.name = " + name()));
      String join = one("JOIN", "JOIN", "LEFT JOIN", "RIGHT JOIN", "FULL JOIN");
      String edges =
          one(
              "edge e " + join + " node n ON n.id = e.node_id",
              "node n " + join + " edge e ON e.node_id = n.id",
              "node n " + join + " edge e ON e.node_id = n.id AND e.kind = " + kind(),
              "node n JOIN node p ON p.id = n.parent " + join + " edge e ON e.node_id = p.id");
      String marks = " " + one("JOIN", "LEFT JOIN", "FULL JOIN") + " mark m ON m.edge_id = e.id";
      String lateral =
          " LEFT JOIN LATERAL (SELECT count(*) AS c, max(m.\"end\") AS x FROM edge i JOIN mark m"
              + " ON m.edge_id = i.id WHERE i.node_id = n.id) l ON true";
      return chance(25)
          ? new Made(
              "SELECT sum(l.c) AS c, max(l.x) AS x FROM node n" + lateral, conditions, "", values)
          : new Made(
              "SELECT count(*) AS c, sum(e.weight) AS w"
                  + (chance(50) ? " FROM " + edges : ", max(m.kind) AS k FROM " + edges + marks),
              conditions,
              "",
              values);
    }

    /** Whose answers show which rows count. */
    private Made members() {
      String head =
          one(
              "SELECT n.id, n.name, n.big FROM node n JOIN edge e ON e.node_id = n.id",
              "SELECT n.id, max(n.name) AS m, max(e.weight) AS w FROM node n LEFT JOIN edge e ON"
                  + " e.node_id = n.id",
              "SELECT n.k, n.code, e.kind FROM edge e LEFT JOIN node n ON n.id = e.node_id",
              "SELECT n.id, n.day, b.name FROM node n, beast b");
      return new Made(
          head,
          List.of(condition("n"), one("n.amount < 7", "n.flag", "n.mood <> 'storm'")),
          head.contains("max(") ? " GROUP BY n.id" : "",
          values);
    }

    /** Groups in an order: what moves from one to another that was not there is mended. */
    private Made groups() {
      String[] of =
          new String[][] {
                {"node n", "k", "day", "flag", "big", "parent"},
                {"edge n", "node_id", "kind", "node_id", "kind", "node_id"},
                {"mark n", "edge_id", "date", "kind", "\"end\"", "date"},
                {"part n", "k", "day", "k", "day", "k"},
                {"beast n", "k", "k", "k", "k", "k"}
              }
              [random.nextInt(5)];
      String by = "n." + of[1 + random.nextInt(5)];
      return new Made(
          "SELECT " + by + " AS g, count(*) AS c, min(n.id) AS m FROM " + of[0],
          chance(40) ? List.of("n.id " + one("<", ">", "<>") + " " + number()) : List.of(),
          " GROUP BY " + by + " ORDER BY " + by + one("", " DESC", " NULLS FIRST"),
          values);
    }

    /** A part of a table by its own name, and nothing of what puts its rows there. */
    private Made partsByName() {
      String part =
          one("part_low", "part_high", "part_high_odd", "part_high_rest", "low_ones", "bird");
      String column = part.equals("bird") ? "wings" : "day";
      return new Made(
          chance(50)
              ? "SELECT p.id, p." + column + " FROM " + part + " p"
              : "SELECT count(*) AS c, max(p.id) AS m FROM " + part + " p",
          chance(40) ? List.of("p.id " + one("=", "<", ">") + " " + number()) : List.of(),
          "",
          values);
    }

    private Made ordersOfTheirOwn() {
      return new Made(
          "SELECT n.id, n.k FROM node n",
          chance(50) ? List.of("n.flag") : List.of(),
          " ORDER BY n.k USING OPERATOR(upside." + one("<", ">") + "), n.id",
          values);
    }

    private Made setOperations() {
      return of("SELECT k FROM node n" + where("n") + setOperation() + other(), "");
    }

    private Made withClause() {
      return of(
          "WITH w AS (SELECT n.id, n.k FROM node n"
              + where("n")
              + ") SELECT w.k, count(*) AS c FROM w JOIN edge e ON e.node_id = w.id",
          " GROUP BY w.k");
    }

    private Made derivedTable() {
      return of(
          "SELECT s.k, s.c FROM (SELECT n.k, count(*) AS c FROM node n"
              + where("n")
              + " GROUP BY n.k) s",
          "",
          "s.c > " + random.nextInt(3));
    }

    private Made lateral() {
      return of(
          "SELECT n.id, l.m FROM node n CROSS JOIN LATERAL (SELECT max(e.weight) AS m FROM edge e"
              + " WHERE e.node_id = n.id"
              + (chance(50) ? " AND e.kind = 'x'" : "")
              + ") l",
          "",
          condition("n"));
    }

    private Made windows() {
      return of(
          "SELECT n.id, n.k, row_number() OVER (PARTITION BY n.k ORDER BY n.id) AS r,"
              + " sum(n.amount) OVER (ORDER BY n.id) AS s FROM node n",
          "",
          condition("n"));
    }

    private Made oddNames() {
      return of(
          "SELECT \"Sel ect\" AS a, \"k.k\" AS b FROM \"Odd \"\"Name\"",
          "",
          chance(50) ? "\"k.k\" = " + number() : "\"from\" = " + name());
    }

    private Made scalarSubqueries() {
      return of(
          "SELECT n.id, (SELECT count(*) FROM edge e WHERE e.node_id = n.id) AS c,"
              + " ARRAY(SELECT e.kind FROM edge e WHERE e.node_id = n.id ORDER BY e.id) AS kinds"
              + " FROM node n",
          "",
          condition("n"));
    }

    private Made of(String head, String tail, String... conditions) {
      return new Made(head, List.of(conditions), tail, values);
    }

    private Made plain() {
      String columns =
          one(
              "*",
              "id, k, name",
              "id, padded, code, mood, dom, twice",
              "id, tags, doc, span, at",
              "id, amount, uid, flag, day, big",
              "id, twice_of(k) AS t, upper(name) AS u");
      String tail =
          switch (random.nextInt(4)) {
            case 0 -> " ORDER BY id LIMIT " + (1 + random.nextInt(5));
            case 1 -> " ORDER BY k DESC NULLS LAST, id OFFSET 1";
            default -> columns.equals("*") || chance(50) ? ordered("k", "id") : "";
          };
      return new Made("SELECT " + columns + " FROM node n", conditions("n", 3), tail, values);
    }

    private Made aggregate() {
      String grouping = one("k", "day", "name", "mood", "flag");
      return new Made(
          "SELECT " + grouping + " AS g, count(*) AS c, sum(k) AS s, max(name) AS m FROM node n",
          conditions("n", 2),
          " GROUP BY "
              + grouping
              + (chance(30) ? " HAVING count(*) > 1" : "")
              + (chance(30) ? " ORDER BY " + grouping : ""),
          values);
    }

    private Made joined() {
      List<String> conditions = new ArrayList<>(conditions("n", 2));
      if (chance(60)) {
        conditions.add(chance(50) ? "e.kind = " + one("'x'", "'y'") : "e.weight > 2");
      }
      if (chance(30)) {
        conditions.add("n.parent = p.id");
        return new Made(
            "SELECT n.id, p.name, e.weight FROM node n JOIN edge e ON e.node_id = n.id, node p",
            conditions,
            "",
            values);
      }
      return new Made(
          "SELECT n.id, n.name, e.id AS edge, e.weight FROM node n "
              + one("JOIN", "INNER JOIN")
              + " edge e ON e.node_id = n.id"
              + (chance(30) ? " AND e.kind = 'x'" : ""),
          conditions,
          ordered("e.weight", "n.id, e.id"),
          values);
    }

    /** Often, by something and then by what makes the order certain. */
    private String ordered(String column, String certain) {
      String first = column + one(" DESC", "") + one("", " NULLS FIRST", " NULLS LAST") + ", ";
      return chance(60) ? " ORDER BY " + (chance(60) ? first : "") + certain : "";
    }

    private Made outer() {
      String on = "e.node_id = n.id" + (chance(40) ? " AND e.kind = " + one("'x'", "'y'") : "");
      List<String> conditions = new ArrayList<>(conditions("n", 2));
      if (chance(25)) {
        conditions.add(one("e.id IS NULL", "e.weight > 1", "e.kind = 'x'"));
      }
      String tail = chance(20) ? " HAVING count(e.id) > 0" : "";
      if (chance(20)) {
        tail += " ORDER BY n.id LIMIT 4";
      } else {
        tail += ordered("4", "n.id");
      }
      String join = one("LEFT JOIN", "LEFT OUTER JOIN", "FULL JOIN", "RIGHT JOIN");
      if (chance(70)) {
        join = "LEFT JOIN";
      }
      if (chance(50)) {
        return new Made(
            "SELECT n.id, n.name, count(e.id) AS c, sum(e.weight) AS w FROM node n "
                + join
                + " edge e ON "
                + on,
            conditions,
            " GROUP BY n.id" + tail,
            values);
      }
      boolean beasts = chance(25);
      return new Made(
          "SELECT n.id, n.k, e.id AS edge, e.kind FROM node n "
              + join
              + " edge e ON "
              + on
              + (beasts ? " LEFT JOIN beast b ON b.k = n.k" : ""),
          conditions,
          beasts ? "" : ordered("n.k", "n.id, e.id"),
          values);
    }

    private Made exists() {
      List<String> conditions = new ArrayList<>(conditions("n", 1));
      conditions.add(
          one("", "NOT ")
              + one(
                  "EXISTS (SELECT 1 FROM edge e WHERE e.node_id = n.id AND e.kind = 'x')",
                  "(n.id IN (SELECT e.node_id FROM edge e WHERE e.weight > 1 AND e.node_id IS NOT"
                      + " NULL))",
                  "(n.k = ANY (SELECT b.k FROM beast b WHERE b.k IS NOT NULL))"));
      return new Made("SELECT n.id, n.k FROM node n", conditions, "", values);
    }

    private String setOperation() {
      return one(" UNION ", " UNION ALL ", " EXCEPT ", " INTERSECT ", " EXCEPT ALL ");
    }

    private String other() {
      return one(
          "SELECT k FROM part",
          "SELECT weight FROM edge",
          "SELECT k FROM beast WHERE name = 'ash'",
          "VALUES (1), (2)",
          "SELECT k FROM part WHERE k = 3");
    }

    private Made distinct() {
      return chance(50)
          ? new Made("SELECT DISTINCT n.k, n.day FROM node n", conditions("n", 2), "", values)
          : new Made(
              "SELECT DISTINCT ON (n.k) n.k, n.id, n.name FROM node n",
              conditions("n", 1),
              " ORDER BY n.k, n.id",
              values);
    }

    private Made views() {
      String view = one("calm", "weights", "deep");
      List<String> conditions = new ArrayList<>();
      if (chance(60)) {
        conditions.add("v.id " + one("=", "<", ">") + " " + number());
      }
      return new Made(
          "SELECT v.* FROM " + view + " v" + (chance(30) ? " JOIN edge e ON e.node_id = v.id" : ""),
          conditions,
          "",
          values);
    }

    private Made partitions() {
      String table =
          one(
              "part",
              "part",
              "part_low",
              "part_high",
              "part_high_odd",
              "beast",
              "ONLY beast",
              "bird");
      List<String> conditions = new ArrayList<>();
      if (chance(70)) {
        conditions.add(chance(60) ? "t.k = " + number() : "t.k IN (1, 3, " + number() + ")");
      }
      if (chance(30) && table.startsWith("part")) {
        conditions.add("t.day = " + day());
      }
      return new Made(
          "SELECT t.id, t.k, count(*) AS c FROM " + table + " t",
          conditions,
          " GROUP BY t.id, t.k",
          values);
    }

    private Made recursive() {
      return of(
          "WITH RECURSIVE up(id, parent, depth) AS (SELECT id, parent, 0 FROM node WHERE id = "
              + number()
              + " UNION ALL SELECT n.id, n.parent, u.depth + 1 FROM node n JOIN up u ON n.id ="
              + " u.parent WHERE u.depth < 5) SELECT id, depth FROM up",
          "");
    }

    /** Tables that decide indirectly, along a chain of outer joins. */
    private Made chain() {
      List<String> conditions = new ArrayList<>(conditions("n", 1));
      if (chance(60)) {
        conditions.add(
            one("m.kind = 'x'", "m.kind = " + kind(), "m.id IS NOT NULL", "e.weight > 1"));
      }
      String joins =
          " FROM node n LEFT JOIN edge e ON e.node_id = n.id"
              + (chance(30) ? " AND e.kind = " + kind() : "")
              + " LEFT JOIN mark m ON m.edge_id = e.id"
              + (chance(30) ? " AND m.kind = " + kind() : "");
      return chance(50)
          ? new Made("SELECT n.id, e.id AS edge, m.id AS mark" + joins, conditions, "", values)
          : new Made("SELECT n.id, count(m.id) AS c" + joins, conditions, " GROUP BY n.id", values);
    }

    /** Joins nested without brackets, and with. */
    private Made nested() {
      String inner = one("e.node_id = n.id", "e.node_id = n.id AND n.k = " + number());
      String condition = "m.edge_id = e.id" + (chance(40) ? " AND m.kind = " + kind() : "");
      String joins =
          chance(50)
              ? " LEFT JOIN edge e JOIN mark m ON " + condition + " ON " + inner
              : " LEFT JOIN (edge e "
                  + one("", "LEFT ")
                  + "JOIN mark m ON "
                  + condition
                  + ") ON "
                  + inner;
      return new Made(
          "SELECT n.id, e.id AS edge, m.kind FROM node n" + joins, conditions("n", 2), "", values);
    }

    private Made lists() {
      String column = one("k", "id", "parent");
      String list = list();
      String condition =
          one(
              "n." + column + " IN (" + list + ")",
              "n." + column + " = ANY (" + list + ")",
              "n." + column + " NOT IN (" + list + ")",
              "n." + column + " <> ALL (" + list + ")",
              "(n.k, n.id) IN ((" + number() + ", 3), (2, " + number() + "))",
              "(n.k = 1 AND n.id < 5 OR n.k = " + number() + ")",
              "(n.k, n.flag) = (" + number() + ", true)",
              "n.name = ANY (ARRAY['ash', " + name() + "])");
      return new Made("SELECT n.id, n.k, n.name FROM node n", List.of(condition), "", values);
    }

    /** Conditions that reach through a query in FROM, or do not. */
    private Made subquery() {
      String inner =
          one(
              "SELECT id, k, name FROM node",
              "SELECT k, count(*) AS id FROM node GROUP BY k",
              "SELECT DISTINCT k, day, id FROM node",
              "SELECT DISTINCT ON (k) k, id FROM node ORDER BY k, id",
              "SELECT id, k, row_number() OVER (ORDER BY id DESC) AS r FROM node",
              "SELECT id, k FROM node ORDER BY k, id LIMIT 4",
              "SELECT id, k FROM node UNION ALL SELECT id, weight FROM edge",
              "SELECT id, k FROM node EXCEPT SELECT id, big FROM node",
              "SELECT k, id FROM node GROUP BY ROLLUP (k, id)",
              "SELECT n.k, e.id FROM node n LEFT JOIN edge e ON e.node_id = n.id",
              "SELECT max(id) AS id, k FROM node GROUP BY k HAVING count(*) > 1",
              "SELECT id, generate_series(1, k) AS k FROM node");
      List<String> conditions = new ArrayList<>();
      conditions.add("s.k = " + number());
      if (chance(30)) {
        conditions.add("s.id = " + number());
      }
      return new Made("SELECT s.k, s.id FROM (" + inner + ") s", conditions, "", values);
    }

    private Made correlated() {
      List<String> conditions = new ArrayList<>();
      conditions.add(one("n.id = " + number(), "n.k = " + number(), "n.flag"));
      if (chance(50)) {
        conditions.add(
            one("", "NOT ")
                + one(
                    "EXISTS (SELECT FROM edge e WHERE e.node_id = n.id)",
                    "EXISTS (SELECT FROM edge e JOIN mark m ON m.edge_id = e.id WHERE e.node_id = n.id"
                        + " AND m.kind = "
                        + kind()
                        + ")",
                    "n.k IN (SELECT e.weight FROM edge e WHERE e.node_id = n.id AND e.weight IS NOT NULL)"));
      }
      String head =
          chance(50)
              ? "SELECT n.id, (SELECT count(*) FROM edge e WHERE e.node_id = n.id) AS c FROM node n"
              : "SELECT n.id, l.c FROM node n LEFT JOIN LATERAL (SELECT count(*) AS c FROM edge e"
                  + " WHERE e.node_id = n.id AND e.kind = "
                  + kind()
                  + ") l ON true";
      return new Made(head, conditions, "", values);
    }

    private Made using() {
      String join = one("JOIN", "LEFT JOIN", "RIGHT JOIN", "FULL JOIN");
      return new Made(
          chance(50)
              ? "SELECT id, n.name, b.k FROM node n " + join + " beast b USING (id)"
              : "SELECT j.id, j.weight FROM (node n " + join + " edge e USING (id)) AS j",
          List.of(one("id = " + number(), "id IS NOT NULL")),
          "",
          values);
    }

    /** Columns without their table, called like words of the language. */
    private Made bare() {
      List<String> conditions = new ArrayList<>();
      conditions.add(
          one(
              "date = " + day(),
              "date > " + day(),
              "public.mark.kind = " + kind(),
              "kind NOTNULL",
              "mark.\"end\" = " + number(),
              "\"mark\".\"kind\" = " + kind(),
              "edge_id = " + number()));
      return new Made("SELECT id, date, mark.end, kind FROM mark", conditions, "", values);
    }

    private Made cases() {
      String when = one("m.end = " + number(), "m.kind = " + kind(), "m.end > 3");
      return new Made(
          "SELECT m.id, CASE WHEN "
              + when
              + " THEN 'a' ELSE m.kind END AS x, largest(m.end) AS l,"
              + " m.edge_id <+> 1 AS p FROM mark m",
          List.of("m.kind = " + kind()),
          " GROUP BY m.id",
          values);
    }

    private Made severalRows() {
      return new Made(
          one(
              "SELECT n.id, g.g FROM node n LEFT JOIN edge e ON e.node_id = n.id CROSS JOIN"
                  + " generate_series(1, e.weight) g(g)",
              "SELECT n.id, generate_series(1, e.weight) AS g FROM node n LEFT JOIN edge e ON"
                  + " e.node_id = n.id",
              "SELECT n.id, t.t FROM node n LEFT JOIN edge e ON e.node_id = n.id, unnest(n.tags) t(t)"),
          conditions("n", 1),
          "",
          values);
    }

    private Made unionOfKinds() {
      return new Made(
          "SELECT u.id, u.kind FROM kinds u" + (chance(30) ? " JOIN node n ON n.id = u.id" : ""),
          List.of(one("u.kind = " + kind(), "u.id = " + number())),
          "",
          values);
    }

    private Made outerThenInner() {
      return new Made(
          "SELECT n.id, e.weight FROM node n LEFT JOIN edge e ON e.node_id = n.id "
              + one(
                  "JOIN mark m ON m.edge_id = e.id",
                  "JOIN mark m ON m.end = n.k",
                  "JOIN beast b ON b.k = e.weight",
                  "LEFT JOIN mark m ON m.edge_id = e.id JOIN beast b ON b.id = m.end"),
          conditions("n", 1),
          "",
          values);
    }

    private String kind() {
      String kind = one("x", "y", "z");
      return value(kind, "'" + kind + "'");
    }

    private String list() {
      List<Integer> members = new ArrayList<>();
      for (int i = random.nextInt(4); i > 0; i--) {
        members.add(random.nextInt(9));
      }
      String parameter = "p" + values.size();
      values.put(parameter, members);
      return ":" + parameter;
    }

    private String where(String alias) {
      return " WHERE " + condition(alias);
    }

    private List<String> conditions(String alias, int most) {
      List<String> conditions = new ArrayList<>();
      for (int i = random.nextInt(most + 1); i > 0; i--) {
        conditions.add(condition(alias));
      }
      return conditions;
    }

    private String condition(String alias) {
      String a = alias + ".";
      return switch (random.nextInt(20)) {
        case 0, 1, 2 -> a + "id = " + number();
        case 3, 4 -> a + "k = " + number();
        case 5 -> a + "k IN (" + number() + ", " + number() + ", " + number() + ")";
        case 6 -> a + "name = " + name();
        case 7 -> a + "day = " + day();
        case 8 -> a + "flag = " + one("true", "false");
        case 9 -> a + "flag";
        case 10 -> a + "mood = '" + one(MOODS) + "'";
        case 11 -> a + "day BETWEEN " + day() + " AND '2026-05-09'";
        case 12 -> a + "name LIKE '%a%'";
        case 13 -> a + one("parent", "k", "name") + one(" IS NULL", " IS NOT NULL");
        case 14 -> "(" + a + "k = " + number() + " OR " + a + "name = " + name() + ")";
        case 15 -> "NOT (" + a + "k = " + number() + ")";
        case 16 -> a + "amount > " + random.nextInt(5);
        case 17 -> a + "code = " + name();
        case 18 -> "(" + a + "k, " + a + "day) = (" + number() + ", " + day() + ")";
        default -> a + "big = " + number() + " AND " + a + "dom < 7";
      };
    }

    private String number() {
      return value(random.nextInt(9), Integer.toString(random.nextInt(9)));
    }

    private String name() {
      String name = one(NAMES);
      return value(name, "'" + name.replace("'", "''") + "'");
    }

    private String day() {
      int day = 1 + random.nextInt(4);
      return value(java.time.LocalDate.of(2026, 5, day), "'2026-05-0" + day + "'");
    }

    /** As a parameter, or in the text. */
    private String value(Object value, String literal) {
      if (chance(50)) {
        return literal;
      }
      String parameter = "p" + values.size();
      values.put(parameter, value);
      return ":" + parameter;
    }
  }
}
