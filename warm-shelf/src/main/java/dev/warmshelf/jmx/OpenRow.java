package dev.warmshelf.jmx;

import java.util.Map;

/**
 * One of the {@link OpenValues#rows rows} that a program shows over JMX.
 *
 * @param fields by name
 */
public record OpenRow(Map<String, Object> fields) {
  /**
   * A text.
   *
   * @throws IllegalArgumentException if it has none of this name
   */
  public String text(String name) {
    return of(name, String.class);
  }

  /**
   * A number.
   *
   * @throws IllegalArgumentException if it has none of this name
   */
  public long number(String name) {
    return of(name, Long.class);
  }

  /**
   * A truth value.
   *
   * @throws IllegalArgumentException if it has none of this name
   */
  public boolean is(String name) {
    return of(name, Boolean.class);
  }

  private <T> T of(String name, Class<T> type) {
    Object value = fields.get(name);
    if (!type.isInstance(value)) {
      throw new IllegalArgumentException(
          "The program does not show '"
              + name
              + "' as this tool expects; take one version of both.");
    }
    return type.cast(value);
  }
}
