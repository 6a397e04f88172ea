package dev.warmshelf;

import dev.warmshelf.lane.ProbePlan.Tied;
import dev.warmshelf.row.Answer;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.sql.TiedText;
import dev.warmshelf.sql.TiedText.Asked;
import java.sql.SQLException;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The rosters of what kept answers are read from: which routes begin at a port, which sailings are
 * a route's. A roster is an answer like any other, on a shelf of its own, and as fresh. It tells
 * without a round trip that a changed row cannot reach an answer.
 *
 * <p><b>The rule.</b> A roster speaks for what the board knows only if the board knew of all that
 * had committed when the roster was read: else it may have read a later state than the board has
 * been told of, and an answer found untouched by it would be of no moment at all. Whoever asks
 * looks at the changes once more after it: none may have touched the roster's tables since the
 * answer was last true.
 *
 * <p>Thread-safe.
 */
final class Rosters {
  /** The shelf's name, to show. */
  static final String SHELF = "rosters";

  private static final Logger LOG = LoggerFactory.getLogger(Rosters.class);

  private final WarmShelf warm;
  private final Shelf shelf;
  private final Map<String, ShelvedQuery<?>> queries = new ConcurrentHashMap<>();
  private final Set<String> unusable = ConcurrentHashMap.newKeySet();

  Rosters(WarmShelf warm, Shelf shelf) {
    this.warm = warm;
    this.shelf = shelf;
  }

  static Policy policy() {
    return Policy.standard().renewing(Renewal.lookingAgain());
  }

  Shelf shelf() {
    return shelf;
  }

  /** Whether no changed row is tied to one that counts. Loads the roster if it is not kept. */
  boolean excludes(Tied tied) {
    if (tied.tied().texts().isEmpty()) {
      return true; // null is equal to nothing
    }
    Asked roster = TiedText.roster(tied);
    if (unusable.contains(roster.text())) {
      return false;
    }
    try {
      Reading<Answer> reading = reading(roster);
      return reading.saysNothingUntold()
          && reading.value().size() <= TiedText.LONGEST_ROSTER
          && !tied.isIn(reading.value());
    } catch (SQLException e) {
      boolean forGood = e.getSQLState() != null && e.getSQLState().startsWith("42");
      if (forGood && unusable.add(roster.text())) {
        LOG.debug("A roster cannot be read, and is not asked for again: {}", roster.text(), e);
      }
      return false;
    }
  }

  private Reading<Answer> reading(Asked roster) throws SQLException {
    Question<?> question =
        queries.computeIfAbsent(roster.text(), text -> warm.query(text).asRoster(shelf)).question();
    roster.values().forEach(question::with);
    return question.answer();
  }
}
