package dev.warmshelf;

import java.sql.Connection;

/** The connection over which the database can be asked about a statement. */
sealed interface Over {
  /** One of the data source. */
  Over ANY = new Any();

  /** None: the caller holds one that must be left as it is. */
  Over NONE = new None();

  /** One of the data source. */
  record Any() implements Over {}

  /** The caller's, on which a transaction can be begun and undone. */
  record Held(Connection connection) implements Over {}

  /** The caller's, which can be asked if no transaction is open on it. */
  record Callers(Connection connection) implements Over {}

  /** None: the caller holds one that must be left as it is. */
  record None() implements Over {}

  /** Whether a statement that is not known cannot be asked about now. */
  default boolean isNone() {
    return this instanceof None || this instanceof Callers;
  }
}
