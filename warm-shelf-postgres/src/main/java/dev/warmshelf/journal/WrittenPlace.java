package dev.warmshelf.journal;

import dev.warmshelf.spi.feed.FeedPlace;
import java.util.Arrays;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A place in the journal in words, for another process to begin at: up to where has been told, on
 * which server, and what the triggers were like.
 *
 * @param snapshot of the transactions that had ended
 * @param installation the journal's
 * @param timeline the server's
 * @param awake since which transaction writers note what they do
 * @param server its identifier
 * @param started when it was started
 * @param triggers their print ({@link Coverage#printOf})
 */
record WrittenPlace(
    String snapshot,
    String installation,
    String timeline,
    String awake,
    String server,
    String started,
    String triggers) {
  private static final String KIND = "journal " + Journal.VERSION;
  private static final int LINES = 7;

  FeedPlace place() {
    String stream =
        String.join("\n", KIND, installation, timeline, awake, server, started, triggers);
    return new FeedPlace(stream, snapshot);
  }

  /** Null if it is no place in a journal of this version. */
  static @Nullable WrittenPlace of(FeedPlace place) {
    List<String> lines = Arrays.asList(place.stream().split("\n", -1));
    if (lines.size() != LINES
        || !lines.get(0).equals(KIND)
        || TransactionSnapshot.read(place.reached()) == null) {
      return null;
    }
    return new WrittenPlace(
        place.reached(),
        lines.get(1),
        lines.get(2),
        lines.get(3),
        lines.get(4),
        lines.get(5),
        lines.get(6));
  }
}
