package dev.warmshelf.caller;

/** How a connection stands to what everybody else sees. */
public enum Visibility {
  /** A statement sent now sees what has been committed, and nothing else. */
  LIKE_OTHERS("like others"),
  /** The transaction has, or may have, written what others do not see. */
  OWN_WRITES("the transaction may have written"),
  /** The transaction reads from a snapshot that may be older than what others see. */
  OLD_SNAPSHOT("the transaction's isolation level keeps a snapshot"),
  /** A statement has begun a transaction, of which nobody has followed what it does. */
  BEGUN_BY_STATEMENT("a statement has begun a transaction"),
  /** The transaction has failed, so that no statement is executed in it. */
  FAILED("the transaction has failed"),
  /** Settings of the session have, or may have, been changed. */
  ALTERED("the session's settings may have been changed");

  private final String label;

  Visibility(String label) {
    this.label = label;
  }

  /** In words, for a reading. */
  public String label() {
    return label;
  }
}
