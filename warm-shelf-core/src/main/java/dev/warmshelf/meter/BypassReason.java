package dev.warmshelf.meter;

/** Why a read bypassed the shelf. */
public enum BypassReason {
  /** The statement's verdict is a refusal. */
  REFUSED("refused"),
  /** The feed has not moved the watermark for longer than the shelf tolerates. */
  FEED_LOST("feed lost"),
  /** The caller's transaction may see what others may not, or the other way round. */
  IN_TRANSACTION("in transaction"),
  /** The caller's session may not be like the one that the kept answer was read in. */
  UNEQUAL_SESSIONS("unequal sessions"),
  /** A value is a text that the database may read as a moment, such as 'now'. */
  MOMENT_AS_VALUE("a value may mean the moment"),
  /** The statement is new, and the database could not be asked about it now. */
  NOT_ANALYSED("not analysed yet"),
  /** An audit has found an answer of the same form wrong, and nobody has cleared it since. */
  FOUND_WRONG("an audit has found an answer of this form wrong"),
  /** To keep answers of its form has cost more than it gave. */
  STANDS_DOWN("the form stands down: keeping it cost more than it gave"),
  /** The shelf itself failed; the database answered. */
  SHELF_FAILED("shelf failed"),
  /** The shelf has been closed. */
  CLOSED("closed");

  private final String label;

  BypassReason(String label) {
    this.label = label;
  }

  /** The reason in words, as logs and reports print it. */
  public String label() {
    return label;
  }
}
