package dev.warmshelf.yaml;

/** A file says something that cannot be; the message names the line. */
public final class YamlException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  private final int line;

  /**
   * @param line of the file, from 1
   */
  public YamlException(int line, String message) {
    super("line " + line + ": " + message);
    this.line = line;
  }

  /** The line of the file, from 1. */
  public int line() {
    return line;
  }
}
