package dev.warmshelf.database;

import dev.warmshelf.spi.feed.Clearing;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;

/**
 * The database that answers are kept of, and its driver: all that the library has to know of them.
 * Whatever else it sends is a program's statement, or has been given to it by name.
 *
 * <p>Thread-safe.
 */
public interface Database {
  /**
   * What the database says of a statement; runs nothing of it.
   *
   * @param connection with no transaction open on it, neither begun nor by a statement; in the
   *     middle of one, what that has done would be undone
   * @param statement any of those that share the text
   * @param text what to analyse
   * @throws SQLException if the database could not be asked; what is wrong with the statement is
   *     told as a refusal
   */
  Examined examine(Connection connection, SqlStatement statement, AnalysedText text)
      throws SQLException;

  /**
   * Whether no transaction is open on a connection, so that one can be begun and undone on it. May
   * ask the server.
   *
   * @throws SQLException if the database could not be asked
   */
  boolean isFree(Connection connection) throws SQLException;

  /**
   * Whether a transaction may be open on a connection. Asks the driver alone, which knows of those
   * that a statement has begun; true if it cannot tell.
   *
   * @throws SQLException if the connection is closed
   */
  boolean mayBeWithin(Connection connection) throws SQLException;

  /**
   * What a connection's session is like.
   *
   * @throws SQLException if the database could not be asked
   */
  Session session(Connection connection) throws SQLException;

  /**
   * The statement that asks what a session is like, to be sent along with another one. It gives one
   * row, and is cheap enough to go with each load.
   */
  String asksForSession();

  /**
   * Reads what that statement gave.
   *
   * @throws SQLException if the result cannot be read
   */
  Session readSession(ResultSet row) throws SQLException;

  /**
   * The driver's own connection behind one that a pool may have wrapped: who has it next has the
   * same session.
   *
   * @throws SQLException if there is none of this driver's
   */
  Connection physical(Connection connection) throws SQLException;

  /**
   * Whether a statement failed only since what the server had prepared of it does not fit any more:
   * asked again, it may succeed.
   */
  boolean isOutdatedPlan(SQLException error);

  /** Whether the database is in trouble, rather than the statement wrong. */
  boolean isTrouble(SQLException error);

  /** The SQLSTATE of a statement that somebody has ended early. */
  String canceled();

  /**
   * Has all processes clear that follow this database.
   *
   * @throws SQLException if they could not be told
   */
  void clearEverywhere(Connection connection, Clearing what) throws SQLException;

  /** The version of the driver. */
  String driver();
}
