package dev.warmshelf.engine;

import dev.warmshelf.shelf.Shelf;
import java.util.Collection;
import java.util.Map;
import java.util.TreeMap;

/**
 * A program's shelves, by name.
 *
 * @param all the library's own are not among them
 */
public record NamedShelves(Map<String, Shelf> all) {
  public Collection<Shelf> shelves() {
    return all.values();
  }

  /**
   * A shelf by name.
   *
   * @throws IllegalArgumentException if there is none
   */
  public Shelf get(String name) {
    Shelf found = all.get(name);
    if (found == null) {
      throw new IllegalArgumentException(
          "There is no shelf '"
              + name
              + "'; there are "
              + new TreeMap<>(all).keySet()
              + ". Add it with shelf(\""
              + name
              + "\", ...) before open().");
    }
    return found;
  }
}
