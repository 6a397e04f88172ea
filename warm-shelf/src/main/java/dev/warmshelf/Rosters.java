package dev.warmshelf;

import dev.warmshelf.answer.Answer;
import dev.warmshelf.base.Generations;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.plan.ProbePlan.Tied;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.statement.TiedText;
import dev.warmshelf.statement.TiedText.Asked;
import java.sql.SQLException;
import java.time.Duration;
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
final class Rosters implements Engine.Excluding {
  /** The shelf's name, to show. */
  static final String SHELF = "rosters";

  private static final Logger LOG = LoggerFactory.getLogger(Rosters.class);
  private static final long MOST_BYTES = 1 << 20;
  private static final long FORM_BYTES = 500;

  /** The class of SQLSTATEs that say that a statement is wrong, or may not be asked. */
  private static final String ACCESS_RULES = "42";

  private final Engine engine;
  private final AnswerShelf shelf;
  private final Generations<String, Form> forms =
      new Generations<>(MOST_BYTES, (text, form) -> 4L * text.length() + FORM_BYTES);

  /** Of one text. */
  private static final class Form {
    private final ShelvedQuery<?> query;
    private volatile boolean unreadable;

    Form(ShelvedQuery<?> query) {
      this.query = query;
    }
  }

  Rosters(Engine engine, AnswerShelf shelf) {
    this.engine = engine;
    this.shelf = shelf;
  }

  /** They are for this process alone: they must say what its feed has told, no less and no more. */
  static Policy policy() {
    Policy usual = Policy.standard().renewing(Renewal.lookingAgain());
    return usual.expiring(usual.expiry().andWithProcess());
  }

  AnswerShelf shelf() {
    return shelf;
  }

  /**
   * Whether no changed row is tied to one that counts. Loads the roster if it is not kept.
   *
   * @param limit how long to wait for others who are loading it
   */
  @Override
  public boolean excludes(Tied tied, Duration limit) {
    if (tied.tied().texts().isEmpty()) {
      return true; // null is equal to nothing
    }
    Asked roster = TiedText.roster(tied);
    Form form = form(roster.text());
    if (form.unreadable) {
      return false;
    }
    try {
      Question<?> question = form.query.question();
      roster.values().forEach(question::with);
      Reading<Answer> reading = question.waitingAtMost(limit).answer();
      return reading.saysWhatWasTold()
          && reading.value().size() <= TiedText.LONGEST_ROSTER
          && !tied.isIn(reading.value());
    } catch (SQLException e) {
      form.unreadable = e.getSQLState() != null && e.getSQLState().startsWith(ACCESS_RULES);
      LOG.debug("A roster could not be read: {}", roster.text(), e);
      return false;
    }
  }

  private Form form(String text) {
    Form known = forms.get(text);
    if (known == null) {
      known = new Form(new QueryDraft(engine, engine.statement(text)).asRoster(shelf));
      forms.put(text, known);
    }
    return known;
  }
}
