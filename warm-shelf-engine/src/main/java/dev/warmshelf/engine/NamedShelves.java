package dev.warmshelf.engine;

import dev.warmshelf.shelf.read.AnswerShelf;
import java.util.Collection;
import java.util.Map;
import java.util.TreeMap;

/**
 * A program's shelves, by name.
 *
 * @param all the library's own are not among them
 */
public record NamedShelves(Map<String, AnswerShelf> all) {
  public Collection<AnswerShelf> shelves() {
    return all.values();
  }

  /**
   * A shelf by name.
   *
   * @throws IllegalArgumentException if there is none
   */
  public AnswerShelf get(String name) {
    AnswerShelf found = all.get(name);
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
