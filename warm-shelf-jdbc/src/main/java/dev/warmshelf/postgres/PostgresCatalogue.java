package dev.warmshelf.postgres;

import dev.warmshelf.key.Lane;
import dev.warmshelf.sql.Catalogue;
import dev.warmshelf.sql.Catalogue.Relation;
import dev.warmshelf.sql.Catalogue.Volatility;
import dev.warmshelf.sql.CatalogueException;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.concurrent.ConcurrentHashMap;
import org.jspecify.annotations.Nullable;

/**
 * PostgreSQL's system catalogue (manual, chapter 53). Each name is asked about once, over whatever
 * connection there is at hand.
 *
 * <p>Thread-safe. Nobody waits for somebody else's asking.
 */
public final class PostgresCatalogue {
  private static final String RELATION =
      """
      WITH RECURSIVE up(oid, depth) AS (
        SELECT to_regclass(CASE WHEN ?::text IS NULL THEN format('%%I', ?::text)
                                ELSE format('%%I.%%I', ?::text, ?::text) END)::oid, 0
        UNION ALL
        SELECT i.inhparent, up.depth + 1 FROM up JOIN pg_inherits i ON i.inhrelid = up.oid
      )
      SELECT c.relkind, c.relpersistence, c.relrowsecurity, root_space.nspname, root.relname,
             CASE WHEN c.relkind = 'v' THEN pg_get_viewdef(c.oid) END,
             space.nspname IN ('pg_catalog', 'information_schema'),
             (SELECT count(DISTINCT top.oid) FROM up top
              WHERE NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = top.oid)),
             %s
      FROM up first
           JOIN pg_class c ON c.oid = first.oid
           JOIN pg_namespace space ON space.oid = c.relnamespace
           JOIN up last ON NOT EXISTS (SELECT FROM pg_inherits i WHERE i.inhrelid = last.oid)
           JOIN pg_class root ON root.oid = last.oid
           JOIN pg_namespace root_space ON root_space.oid = root.relnamespace
      WHERE first.depth = 0
      """
          .formatted(ColumnKinds.OF_C);

  private static final String FUNCTION =
      """
      SELECT p.provolatile, bool_and(s.nspname = 'pg_catalog')
      FROM pg_proc p JOIN pg_namespace s ON s.oid = p.pronamespace
      WHERE p.proname = ? AND CASE WHEN ?::text IS NULL THEN pg_function_is_visible(p.oid)
                                   ELSE s.nspname = ?::text END
      GROUP BY p.provolatile
      """;

  private final ConcurrentHashMap<Name, Relation> relations = new ConcurrentHashMap<>();
  private final ConcurrentHashMap<Name, Volatility> functions = new ConcurrentHashMap<>();

  private record Name(@Nullable String schema, String name) {}

  /** The catalogue, to be asked over this connection, as long as that is the caller's. */
  public Catalogue over(Connection connection) {
    return new Catalogue() {
      @Override
      public Relation relation(@Nullable String schema, String name) {
        Name asked = new Name(schema, name);
        Relation known = relations.get(asked);
        if (known == null) {
          known = askRelation(connection, asked);
          relations.put(asked, known);
        }
        return known;
      }

      @Override
      public Volatility function(@Nullable String schema, String name) {
        Name asked = new Name(schema, name);
        Volatility known = functions.get(asked);
        if (known == null) {
          known = askFunction(connection, asked);
          functions.put(asked, known);
        }
        return known;
      }
    };
  }

  private static Relation askRelation(Connection connection, Name asked) {
    try (PreparedStatement statement = connection.prepareStatement(RELATION)) {
      statement.setString(1, asked.schema());
      statement.setString(2, asked.name());
      statement.setString(3, asked.schema());
      statement.setString(4, asked.name());
      try (ResultSet row = statement.executeQuery()) {
        return row.next() ? relation(row) : new Relation.Missing();
      }
    } catch (SQLException e) {
      throw new CatalogueException("Could not ask the catalogue about " + asked.name() + ".", e);
    }
  }

  private static Relation relation(ResultSet row) throws SQLException {
    String kind = row.getString(1);
    if (row.getBoolean(7)) {
      return new Relation.Unfollowable("a system catalogue");
    } else if (row.getString(2).equals("t")) {
      return new Relation.Unfollowable("a temporary table");
    } else if (row.getString(2).equals("u")) {
      return new Relation.Unfollowable("an unlogged table, which the server empties after a crash");
    } else if (row.getBoolean(3)) {
      return new Relation.Unfollowable("under row-level security");
    }
    return switch (kind) {
      case "r", "p" ->
          row.getInt(8) == 1
              ? new Relation.Table(
                  Lane.ofTable(row.getString(4), row.getString(5)),
                  ColumnKinds.read(row.getArray(9)))
              : new Relation.Unfollowable("a child of several tables");
      case "v" -> new Relation.View(row.getString(6));
      case "m" -> new Relation.Unfollowable("a materialized view");
      case "f" -> new Relation.Unfollowable("a foreign table");
      default -> new Relation.Unfollowable("a relation of kind '" + kind + "'");
    };
  }

  private static Volatility askFunction(Connection connection, Name asked) {
    try (PreparedStatement statement = connection.prepareStatement(FUNCTION)) {
      statement.setString(1, asked.name());
      statement.setString(2, asked.schema());
      statement.setString(3, asked.schema());
      try (ResultSet rows = statement.executeQuery()) {
        Volatility worst = Volatility.MISSING;
        while (rows.next()) {
          worst = worse(worst, volatility(rows.getString(1), rows.getBoolean(2)));
        }
        return worst;
      }
    } catch (SQLException e) {
      throw new CatalogueException("Could not ask the catalogue about " + asked.name() + "().", e);
    }
  }

  /** Which overload a call means is not worked out; the worst of them decides. */
  private static Volatility worse(Volatility one, Volatility other) {
    if (one == Volatility.MISSING) {
      return other;
    }
    return one.compareTo(other) >= 0 ? one : other;
  }

  private static Volatility volatility(String provolatile, boolean systems) {
    return switch (provolatile) {
      case "i" -> Volatility.IMMUTABLE;
      case "s" -> systems ? Volatility.SYSTEM_STABLE : Volatility.STABLE;
      default -> Volatility.VOLATILE;
    };
  }
}
