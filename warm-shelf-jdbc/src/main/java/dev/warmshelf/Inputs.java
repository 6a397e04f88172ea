package dev.warmshelf;

import dev.warmshelf.key.Key;
import dev.warmshelf.key.KeyShape;
import org.jspecify.annotations.Nullable;

/** Keys of what is no query's: by inputs in their order. */
final class Inputs {
  private Inputs() {}

  /**
   * Of these inputs, named by their places.
   *
   * @throws dev.warmshelf.key.UnsupportedValueException if one is of a type whose equality is not
   *     known
   */
  static Key key(KeyShape form, @Nullable Object... inputs) {
    String[] places = new String[inputs.length];
    for (int i = 0; i < places.length; i++) {
      places[i] = Integer.toString(i + 1);
    }
    return Key.of(form, places, inputs);
  }
}
