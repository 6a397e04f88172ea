package dev.warmshelf.postgres;

import dev.warmshelf.database.Database;
import dev.warmshelf.database.Examined;
import dev.warmshelf.database.Session;
import dev.warmshelf.postgres.analysis.Analyser;
import dev.warmshelf.postgres.analysis.SessionQuestion;
import dev.warmshelf.postgres.driver.DriverConnection;
import dev.warmshelf.postgres.driver.PreparedPlans;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.stream.Stream;

/** PostgreSQL 14 or later, behind its own driver. Thread-safe. */
public final class Postgres implements Database {
  private static final String CLEAR = "SELECT warm_shelf.clear(?, ?)";

  private final Analyser analyser = new Analyser();

  @Override
  public Examined examine(Connection connection, SqlStatement statement, AnalysedText text)
      throws SQLException {
    return analyser.examine(connection, statement, text);
  }

  @Override
  public boolean isFree(Connection connection) throws SQLException {
    return Analyser.isFree(connection);
  }

  @Override
  public boolean mayBeWithin(Connection connection) throws SQLException {
    return !connection.getAutoCommit()
        || !DriverConnection.isBehind(connection)
        || DriverConnection.behind(connection).mayBeWithin();
  }

  @Override
  public Session session(Connection connection) throws SQLException {
    if (connection.getAutoCommit() || !DriverConnection.isBehind(connection)) {
      return SessionQuestion.ask(connection);
    }
    DriverConnection drivers = DriverConnection.behind(connection);
    return drivers.mayBeWithin()
        ? SessionQuestion.ask(connection)
        : SessionQuestion.askAlone(drivers.connection());
  }

  @Override
  public String asksForSession() {
    return SessionQuestion.TEXT;
  }

  @Override
  public Session readSession(ResultSet row) throws SQLException {
    return SessionQuestion.read(row);
  }

  @Override
  public Connection physical(Connection connection) throws SQLException {
    return DriverConnection.behind(connection).connection();
  }

  @Override
  public boolean isOutdatedPlan(SQLException error) {
    return PreparedPlans.isOutdated(error);
  }

  /** By its class: connections, resources, an operator's intervention, the system. */
  @Override
  public boolean isTrouble(SQLException error) {
    String state = error.getSQLState();
    return state == null || Stream.of("08", "53", "57", "58", "XX").anyMatch(state::startsWith);
  }

  @Override
  public String canceled() {
    return SqlState.QUERY_CANCELED.code();
  }

  @Override
  public void clearEverywhere(Connection connection, Clearing what) throws SQLException {
    try (PreparedStatement statement = connection.prepareStatement(CLEAR)) {
      statement.setString(1, what.what().word());
      statement.setString(2, what.name());
      statement.execute();
    }
  }

  @Override
  public String driver() {
    return DriverConnection.version();
  }
}
