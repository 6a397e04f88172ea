package dev.warmshelf.caller;

import java.sql.Connection;

/** The connection over which the database can be asked about a statement. */
public sealed interface Over {
  /** None of the caller's. */
  enum Plain implements Over {
    /** One of the data source. */
    ANY,
    /** None: the caller holds one that must be left as it is. */
    NONE
  }

  /** The caller's, on which a transaction can be begun and undone. */
  record Held(Connection connection) implements Over {}

  /** The caller's, which can be asked if no transaction is open on it. */
  record Callers(Connection connection) implements Over {}

  /** Whether a statement that is not known cannot be asked about now. */
  default boolean isNone() {
    return this == Plain.NONE || this instanceof Callers;
  }
}
