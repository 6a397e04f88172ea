package dev.warmshelf.key;

/** A parameter value of which it is not known when two of its kind are the same. */
public final class UnsupportedValueException extends IllegalArgumentException {
  private static final long serialVersionUID = 1L;

  private final String parameter;

  UnsupportedValueException(String parameter, String problem) {
    super("Parameter '" + parameter + "' " + problem);
    this.parameter = parameter;
  }

  /** The parameter's name, as the question calls it. */
  public String parameter() {
    return parameter;
  }
}
