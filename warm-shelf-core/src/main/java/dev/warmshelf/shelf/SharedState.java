package dev.warmshelf.shelf;

import java.util.Map;
import java.util.TreeMap;
import org.jspecify.annotations.Nullable;

/**
 * How a shared store is, and what this process has counted of it. Immutable.
 *
 * @param store what it is, and where
 * @param trouble why it is away; null if it is not
 * @param counts {@code asked} of the store; {@code taken} from it; {@code nothingThere}, by a
 *     program of this version, namespace, schema and session; {@code useless}, found but not taken:
 *     {@code unreadable}, {@code ofAnotherPlace} in the stream of changes than this process
 *     remembers, or {@code outOfDate}; {@code waited} for another process; {@code written} to it;
 *     {@code leftOut} since the queue was full; {@code failures} of the store
 * @param queuedBytes what waits to be written, about
 */
public record SharedState(
    String store, @Nullable String trouble, Map<String, Long> counts, long queuedBytes) {
  /** The counts cannot change. */
  public SharedState {
    counts = Map.copyOf(counts);
  }

  /**
   * One of the counts.
   *
   * @throws IllegalArgumentException if there is none of this name
   */
  public long count(String name) {
    Long found = counts.get(name);
    if (found == null) {
      throw new IllegalArgumentException("'" + name + "' is not counted, but " + counts.keySet());
    }
    return found;
  }

  /** In words, on one line. */
  public String inWords() {
    String how = trouble == null ? "answers" : "away: " + trouble.replace('\n', ' ');
    StringBuilder all = new StringBuilder(store).append(", ").append(how).append(';');
    new TreeMap<>(counts)
        .forEach((what, count) -> all.append(' ').append(what).append('=').append(count));
    return all.append(" queuedBytes=").append(queuedBytes).toString();
  }
}
