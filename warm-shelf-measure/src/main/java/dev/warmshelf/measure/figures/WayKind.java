package dev.warmshelf.measure.figures;

/** The ways to read that are compared, from no keeping to the finest. */
public enum WayKind {
  /** From the database each time. */
  DIRECT("direct"),
  /** Kept for a time, whatever changes. */
  TTL("TTL only"),
  /** Kept until a table changes. */
  TABLES("table lanes"),
  /** Kept until rows change that the question names. */
  VALUES("value lanes"),
  /** Kept until rows change that the question names or the answer shows. */
  ANSWERS("answer lanes"),
  /** The same, and a second look before anything is loaded again. */
  SECOND_LOOK("second look"),
  /** The same, and then only what has changed is asked for. */
  MENDED("mended"),
  /** The same, but answers of which the workload says so may be old for a while, on purpose. */
  OLD("old on purpose"),
  /** As mended, by processes instead of threads, which share a store. */
  SHARED("shared");

  private final String label;

  WayKind(String label) {
    this.label = label;
  }

  /** What reports call it. */
  public String label() {
    return label;
  }
}
