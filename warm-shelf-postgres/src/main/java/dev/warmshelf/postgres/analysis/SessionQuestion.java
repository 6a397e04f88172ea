package dev.warmshelf.postgres.analysis;

import dev.warmshelf.database.Session;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.stream.Collectors;

/** Asks what a session is like. */
public final class SessionQuestion {
  /**
   * One row; cheap enough to be sent along with each load. It is looked up on the session's own
   * path, so each name stands with its schema.
   */
  public static final String TEXT =
      """
      SELECT pg_catalog.array_to_string(
               ARRAY[pg_catalog.current_database()::pg_catalog.text,
                     current_user::pg_catalog.text, %s],
               pg_catalog.chr(%d), ''),
             pg_catalog.pg_is_in_recovery(),
             pg_catalog.pg_current_xact_id_if_assigned() IS NOT NULL,
             pg_catalog.current_setting('transaction_isolation')
               OPERATOR(pg_catalog.=) ANY (ARRAY['repeatable read', 'serializable']::pg_catalog.text[]),
             CASE WHEN pg_catalog.pg_my_temp_schema() OPERATOR(pg_catalog.=) 0::pg_catalog.oid
                  THEN false
                  ELSE EXISTS (SELECT FROM pg_catalog.pg_class
                               WHERE relnamespace OPERATOR(pg_catalog.=)
                                     pg_catalog.pg_my_temp_schema()) END
      """
          .formatted(
              Session.SETTINGS.stream()
                  .map(name -> "pg_catalog.current_setting('" + name + "', true)")
                  .collect(Collectors.joining(", ")),
              (int) Session.BETWEEN);

  private SessionQuestion() {}

  /**
   * Asks over a connection.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Session ask(Connection connection) throws SQLException {
    try (Statement statement = connection.createStatement();
        ResultSet row = statement.executeQuery(TEXT)) {
      return read(row);
    }
  }

  /**
   * Asks over a connection of the driver's own that is not in auto-commit mode, and on which no
   * transaction is open: nor is there one afterwards, which somebody else would have to end.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Session askAlone(Connection connection) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(TEXT + ";COMMIT")) {
      statement.execute();
      try (ResultSet row = statement.getResultSet()) {
        return read(row);
      }
    }
  }

  /**
   * Reads what {@link #TEXT} gives.
   *
   * @throws SQLException if the result cannot be read
   */
  public static Session read(ResultSet row) throws SQLException {
    row.next();
    return new Session(
        row.getString(1),
        row.getBoolean(2),
        row.getBoolean(3),
        row.getBoolean(4),
        row.getBoolean(5));
  }
}
