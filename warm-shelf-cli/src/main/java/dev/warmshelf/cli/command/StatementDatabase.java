package dev.warmshelf.cli.command;

import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.database.Session;
import dev.warmshelf.postgres.analysis.Analyser;
import dev.warmshelf.postgres.analysis.SessionQuestion;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.SqlStatement;
import java.io.IOException;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.jspecify.annotations.Nullable;
import org.slf4j.LoggerFactory;

/**
 * The database that says what statements mean: the engineer's, or a PostgreSQL that the tool brings
 * along, for as long as it is needed. Not thread-safe.
 */
public final class StatementDatabase implements AutoCloseable {
  private final Connection connection;
  private final AutoCloseable owner;
  private final String session;
  private final String note;
  private final Analyser analyser = new Analyser();
  private final Map<AnalysedText, Analysis> known = new HashMap<>();

  private StatementDatabase(
      Connection connection, AutoCloseable owner, String session, String note) {
    this.connection = connection;
    this.owner = owner;
    this.session = session;
    this.note = note;
  }

  /**
   * The engineer's.
   *
   * @throws Failure if it cannot be reached
   */
  public static StatementDatabase at(DatabaseOptions database) throws Failure {
    Connection connection = database.connection();
    try {
      String session = Session.inWords(SessionQuestion.ask(connection).ambient());
      return new StatementDatabase(connection, connection, session, "");
    } catch (SQLException e) {
      throw Failure.of(e);
    }
  }

  /**
   * One that the tool brings along.
   *
   * @param schema what to run there first; null for the demo's tables
   * @param from where that comes from, to name it in errors
   * @throws Failure if it does not start, or does not take the schema
   */
  static StatementDatabase carried(@Nullable String schema, String from) throws Failure {
    LocalPostgres server;
    try {
      server = LocalPostgres.startForSchemas();
    } catch (IOException e) {
      throw new Failure(
          "The PostgreSQL that the tool brings along does not start: " + e.getMessage(), e);
    }
    try {
      Connection connection = server.dataSource("postgres").getConnection();
      try (Statement statement = connection.createStatement()) {
        statement.execute(schema == null ? SkerryLine.schema() : schema);
      }
      String note =
          schema == null ? "asked of the demo's tables; give --db or --schema for your own" : "";
      return new StatementDatabase(connection, server, "", note);
    } catch (SQLException e) {
      close(server);
      throw new Failure(from + ": " + Failure.inOneLine(e), e);
    }
  }

  /** What of the session is part of keys there; empty if that would only be the tool's own. */
  String session() {
    return session;
  }

  /** What the engineer should know of the database; empty if nothing. */
  String note() {
    return note;
  }

  /**
   * What the database says of a statement.
   *
   * @param types of its parameters
   */
  Analysed analyse(SqlStatement statement, List<String> types) throws SQLException {
    AnalysedText text = statement.analysedText(types);
    Analysis analysis = known.get(text);
    if (analysis == null) {
      analysis = analyser.analyse(connection, statement, text);
      known.put(text, analysis);
    }
    return new Analysed(statement, text, analysis);
  }

  /** The same where nothing is known of the parameters. */
  Analysed analyse(SqlStatement statement) throws SQLException {
    return analyse(statement, statement.unknownTypes());
  }

  @Override
  public void close() {
    close(connection);
    close(owner);
  }

  private static void close(AutoCloseable resource) {
    try {
      resource.close();
    } catch (Exception e) {
      LoggerFactory.getLogger(StatementDatabase.class).debug("could not be closed", e);
    }
  }
}
