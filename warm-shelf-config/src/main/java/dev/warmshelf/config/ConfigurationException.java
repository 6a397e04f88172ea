package dev.warmshelf.config;

import java.util.List;

/** A configuration that cannot be: all that is wrong with it, each with its line and what to do. */
public final class ConfigurationException extends RuntimeException {
  private static final long serialVersionUID = 1L;

  private final List<String> mistakes;

  /**
   * @param name of the file, or where it would have been
   */
  ConfigurationException(String name, List<String> mistakes) {
    super(name + ":\n  " + String.join("\n  ", mistakes));
    this.mistakes = List.copyOf(mistakes);
  }

  /** What is wrong, in the order of the file. */
  public List<String> mistakes() {
    return mistakes;
  }
}
