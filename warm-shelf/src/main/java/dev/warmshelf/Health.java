package dev.warmshelf;

import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;

/**
 * How a {@link WarmShelf} is, at a moment. Immutable.
 *
 * @param lag up to how long ago all changes are known; empty if nothing is followed, or none has
 *     been looked at yet
 * @param lostSince since when changes do not arrive; empty unless it is {@link State#LOST}
 * @param why it is not as it should be, in words; empty if it is
 * @param shelves what reads get now, in words, by shelf
 */
public record Health(
    State state,
    Optional<Duration> lag,
    Optional<Instant> lostSince,
    String why,
    Map<String, String> shelves) {
  /** How it is. */
  public enum State {
    /** Changes arrive, and shelves answer. */
    LIVE,
    /**
     * It was opened before the database or its feed was ready ({@link
     * WarmShelf.Builder#joiningLater}): the database answers, and the shelves join by themselves
     * once they can.
     */
    WAITING,
    /** No feed is followed: answers are as old as their TTL lets them be. */
    ON_TTL_ALONE,
    /**
     * An audit has found a kept answer wrong, and nothing would have said so. Questions of its form
     * are answered by the database until somebody clears it.
     */
    FOUND_WRONG,
    /**
     * A wrapped data source has failed as it never should, such as with another version of the
     * driver; the log has more. The database answered instead, and answers everything that is asked
     * through wrapped data sources if that cannot get better in this process.
     */
    FAILING,
    /** Changes arrive too late for a shelf, which therefore does as its policy says. */
    LAGGING,
    /** Changes do not arrive: each shelf does as its policy says. */
    LOST,
    /** It has been closed; the database answers. */
    CLOSED
  }

  /** Whether all shelves do what they are there for. */
  public boolean isWell() {
    return state == State.LIVE || state == State.ON_TTL_ALONE;
  }
}
