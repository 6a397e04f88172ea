package dev.warmshelf.shelf;

import java.util.Collections;
import java.util.EnumMap;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * How a shared store is, and what this process has counted of it. Immutable.
 *
 * @param store what it is, and where
 * @param trouble why it is away; empty if it is not
 * @param counts each of them
 * @param queuedBytes what waits to be written, about
 */
public record SharedState(
    String store, Optional<String> trouble, Map<Count, Long> counts, long queuedBytes) {
  /** What is counted. */
  public enum Count {
    /** Questions that the store was asked. */
    ASKED("asked"),
    /** Answers taken from it. */
    TAKEN("taken"),
    /** Nothing was there, of a program of this version, namespace, schema and session. */
    NOTHING_THERE("nothingThere"),
    /** Found, but not taken: the sum of the next three. */
    USELESS("useless"),
    /** Not to be read by this program. */
    UNREADABLE("unreadable"),
    /** Of another place in the stream of changes than this process remembers. */
    OF_ANOTHER_PLACE("ofAnotherPlace"),
    /** Changed since. */
    OUT_OF_DATE("outOfDate"),
    /** Another process was waited for. */
    WAITED("waited"),
    /** Answers written to it. */
    WRITTEN("written"),
    /** Not written, since the queue was full. */
    LEFT_OUT("leftOut"),
    /** Failures of the store. */
    FAILURES("failures");

    private final String word;

    Count(String word) {
      this.word = word;
    }

    /** As fields and metrics call it. */
    public String word() {
      return word;
    }
  }

  /** The counts cannot change. */
  public SharedState {
    counts = Collections.unmodifiableMap(new EnumMap<>(counts));
  }

  /** One of the counts. */
  public long count(Count which) {
    return counts.getOrDefault(which, 0L);
  }

  /** In words, on one line. */
  public String inWords() {
    String how = trouble.map(why -> "away: " + why.replace('\n', ' ')).orElse("answers");
    Map<String, Long> byWord = new TreeMap<>();
    counts.forEach((which, count) -> byWord.put(which.word(), count));
    StringBuilder all = new StringBuilder(store).append(", ").append(how).append(';');
    byWord.forEach((word, count) -> all.append(' ').append(word).append('=').append(count));
    return all.append(" queuedBytes=").append(queuedBytes).toString();
  }
}
