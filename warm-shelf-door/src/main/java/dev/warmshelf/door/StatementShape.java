package dev.warmshelf.door;

import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;

/**
 * How a statement is made.
 *
 * @param plain whether it is as they are made by default, so that kept answers may be given
 * @param making makes it on the database's connection
 */
record StatementShape(boolean plain, Making making) {
  /** Makes a statement. */
  @FunctionalInterface
  interface Making {
    Statement on(Connection real) throws SQLException;
  }
}
