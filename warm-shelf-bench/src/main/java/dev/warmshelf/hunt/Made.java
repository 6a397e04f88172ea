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
    return new Maker(random).make();
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

    Made make() {
      return switch (random.nextInt(22)) {
        case 0, 1, 2 -> plain();
        case 3, 4 -> aggregate();
        case 5, 6 -> joined();
        case 7, 8, 9 -> outer();
        case 10 -> exists();
        case 11 -> of("SELECT k FROM node n" + where("n") + setOperation() + other(), "");
        case 12 ->
            of(
                "WITH w AS (SELECT n.id, n.k FROM node n"
                    + where("n")
                    + ") SELECT w.k, count(*) AS c FROM w JOIN edge e ON e.node_id = w.id",
                " GROUP BY w.k");
        case 13 ->
            of(
                "SELECT s.k, s.c FROM (SELECT n.k, count(*) AS c FROM node n"
                    + where("n")
                    + " GROUP BY n.k) s",
                "",
                "s.c > " + random.nextInt(3));
        case 14 ->
            of(
                "SELECT n.id, l.m FROM node n CROSS JOIN LATERAL (SELECT max(e.weight) AS m FROM edge e"
                    + " WHERE e.node_id = n.id"
                    + (chance(50) ? " AND e.kind = 'x'" : "")
                    + ") l",
                "",
                condition("n"));
        case 15 ->
            of(
                "SELECT n.id, n.k, row_number() OVER (PARTITION BY n.k ORDER BY n.id) AS r,"
                    + " sum(n.amount) OVER (ORDER BY n.id) AS s FROM node n",
                "",
                condition("n"));
        case 16 -> distinct();
        case 17 -> views();
        case 18 -> partitions();
        case 19 ->
            of(
                "SELECT \"Sel ect\" AS a, \"k.k\" AS b FROM \"Odd \"\"Name\"",
                "",
                chance(50) ? "\"k.k\" = " + number() : "\"from\" = " + name());
        case 20 ->
            of(
                "SELECT n.id, (SELECT count(*) FROM edge e WHERE e.node_id = n.id) AS c,"
                    + " ARRAY(SELECT e.kind FROM edge e WHERE e.node_id = n.id ORDER BY e.id) AS kinds"
                    + " FROM node n",
                "",
                condition("n"));
        default -> recursive();
      };
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
            default -> "";
          };
      return new Made("SELECT " + columns + " FROM node n", conditions("n", 3), tail, values);
    }

    private Made aggregate() {
      String grouping = one("k", "day", "name", "mood", "flag");
      return new Made(
          "SELECT " + grouping + " AS g, count(*) AS c, sum(k) AS s, max(name) AS m FROM node n",
          conditions("n", 2),
          " GROUP BY " + grouping + (chance(30) ? " HAVING count(*) > 1" : ""),
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
          "",
          values);
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
      return new Made(
          "SELECT n.id, n.k, e.id AS edge, e.kind FROM node n "
              + join
              + " edge e ON "
              + on
              + (chance(25) ? " LEFT JOIN beast b ON b.k = n.k" : ""),
          conditions,
          tail.startsWith(" ORDER") ? " ORDER BY n.id, e.id" : "",
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
