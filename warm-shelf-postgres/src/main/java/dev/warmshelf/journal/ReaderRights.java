package dev.warmshelf.journal;

import dev.warmshelf.postgres.analysis.SqlText;
import dev.warmshelf.postgres.driver.SqlState;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;

/** What a role must be allowed to follow the journal. */
final class ReaderRights {
  /** What is granted, and how to ask whether a role has it. */
  private record Right(String privilege, String asked) {}

  private static final List<Right> ALL =
      List.of(
          new Right(
              "USAGE ON SCHEMA warm_shelf", "has_schema_privilege(r.oid, 'warm_shelf', 'USAGE')"),
          new Right(
              "SELECT ON warm_shelf.journal, warm_shelf.installation",
              "has_table_privilege(r.oid, 'warm_shelf.journal', 'SELECT')"
                  + " AND has_table_privilege(r.oid, 'warm_shelf.installation', 'SELECT')"),
          new Right(
              "EXECUTE ON FUNCTION warm_shelf.reader_is_here(), warm_shelf.trim_journal(),"
                  + " warm_shelf.own_changes(pg_snapshot, int)",
              "has_function_privilege(r.oid, 'warm_shelf.reader_is_here()', 'EXECUTE')"
                  + " AND has_function_privilege(r.oid, 'warm_shelf.trim_journal()', 'EXECUTE')"
                  + " AND has_function_privilege(r.oid,"
                  + " 'warm_shelf.own_changes(pg_snapshot, int)', 'EXECUTE')"));

  private ReaderRights() {}

  /**
   * The statements that let a role follow, each ended by a semicolon.
   *
   * @param role as the catalogue spells it
   */
  static List<String> grants(String role) {
    return ALL.stream()
        .map(right -> "GRANT " + right.privilege() + " TO " + SqlText.identifier(role) + ";")
        .toList();
  }

  /** All of them in one sentence's part. */
  static String inWords() {
    return String.join(", ", ALL.stream().map(right -> "GRANT " + right.privilege()).toList());
  }

  /**
   * The statements that a role still needs; empty if it may follow.
   *
   * @throws SQLException if there is no such role
   */
  static List<String> missing(Connection connection, String role) throws SQLException {
    List<String> columns = ALL.stream().map(Right::asked).toList();
    try (PreparedStatement statement =
        connection.prepareStatement(
            "SELECT " + String.join(", ", columns) + " FROM pg_roles r WHERE r.rolname = ?")) {
      statement.setString(1, role);
      try (ResultSet row = statement.executeQuery()) {
        if (!row.next()) {
          throw new SQLException(
              "There is no role '" + role + "' on this server.", SqlState.UNDEFINED_OBJECT.code());
        }
        List<String> missing = new ArrayList<>();
        for (int i = 0; i < ALL.size(); i++) {
          if (!row.getBoolean(i + 1)) {
            missing.add(grants(role).get(i));
          }
        }
        return missing;
      }
    }
  }
}
