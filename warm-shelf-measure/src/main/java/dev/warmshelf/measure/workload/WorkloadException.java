package dev.warmshelf.measure.workload;

/** A workload file says something that cannot be; the message names the line. */
public final class WorkloadException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  private final int line;

  /**
   * @param line of the file, from 1
   */
  WorkloadException(int line, String message) {
    super("line " + line + ": " + message);
    this.line = line;
  }

  /** The line of the file, from 1. */
  public int line() {
    return line;
  }
}
