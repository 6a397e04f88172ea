package dev.warmshelf.door;

/** A call of a procedure or function, which the database answers. */
final class ShelvedCallableStatement extends DelegatingCallableStatement {
  ShelvedCallableStatement(
      ShelvedConnection connection, StatementShape shape, StatementFacts facts) {
    super(connection, shape, facts);
  }
}
