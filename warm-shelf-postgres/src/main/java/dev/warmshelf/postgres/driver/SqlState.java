package dev.warmshelf.postgres.driver;

import java.sql.SQLException;

/** The SQLSTATEs that the library knows (PostgreSQL manual, appendix A). */
public enum SqlState {
  /** A pool, or the driver, has no connection any more. */
  CONNECTION_DOES_NOT_EXIST("08003"),
  /** The server takes no connection. */
  CONNECTION_REJECTED("08004"),
  /** Among much else, a prepared plan that gives other columns now. */
  FEATURE_NOT_SUPPORTED("0A000"),
  /** A value that a setting or function does not take. */
  INVALID_PARAMETER_VALUE("22023"),
  /** A command that needs a transaction, and there is none. */
  NO_ACTIVE_TRANSACTION("25P01"),
  /** What was prepared is gone. */
  INVALID_STATEMENT_NAME("26000"),
  /** A schema that is not there. */
  INVALID_SCHEMA_NAME("3F000"),
  /** A right that is missing. */
  INSUFFICIENT_PRIVILEGE("42501"),
  /** A column that is not there. */
  UNDEFINED_COLUMN("42703"),
  /** A role, or another object without a state of its own, that is not there. */
  UNDEFINED_OBJECT("42704"),
  /** A function that is not there. */
  UNDEFINED_FUNCTION("42883"),
  /** A table that is not there. */
  UNDEFINED_TABLE("42P01"),
  /** An object that is not as it must be. */
  OBJECT_NOT_IN_PREREQUISITE_STATE("55000"),
  /** A lock that was not to be had in time. */
  LOCK_NOT_AVAILABLE("55P03"),
  /** A statement that somebody, or a timeout, has ended. */
  QUERY_CANCELED("57014"),
  /** Any other one, or none. */
  OTHER("");

  private final String code;

  SqlState(String code) {
    this.code = code;
  }

  /** That of an error. */
  public static SqlState of(SQLException error) {
    for (SqlState each : values()) {
      if (each.isOf(error)) {
        return each;
      }
    }
    return OTHER;
  }

  /** Its five characters. */
  public String code() {
    return code;
  }

  /** Whether an error has it. */
  public boolean isOf(SQLException error) {
    return code.equals(error.getSQLState());
  }
}
