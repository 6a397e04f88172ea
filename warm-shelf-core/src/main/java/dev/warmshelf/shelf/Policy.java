package dev.warmshelf.shelf;

import dev.warmshelf.base.Durations;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Objects;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/** How one shelf keeps answers. Immutable; each method returns an adjusted copy. */
public final class Policy extends Terms {
  private static final Policy STANDARD = new Policy(new Draft());

  private final Capacity capacity;
  private final Expiry expiry;
  private final Duration tolerance;
  private final WhenLost lost;
  private final Renewal renewal;
  private final OldAnswers old;
  private final Audit audit;
  private final Shown shown;
  private final Duration slowLoad;
  private final Duration patience;
  private final boolean standsDown;

  /** One that is being made; the defaults to begin with. */
  private static final class Draft {
    private Capacity capacity = Capacity.shared();
    private Expiry expiry = Expiry.after(Duration.ofMinutes(10));
    private Duration tolerance = Duration.ofSeconds(1);
    private WhenLost lost = WhenLost.askDatabase();
    private Renewal renewal = Renewal.mending();
    private OldAnswers old = OldAnswers.none();
    private Audit audit = Audit.standard();
    private Shown shown = Shown.VALUES;
    private Duration slowLoad = Duration.ofSeconds(5);
    private Duration patience = Duration.ofSeconds(10);
    private boolean standsDown = true;
  }

  private Policy(Draft draft) {
    Durations.requirePositive("tolerance", draft.tolerance);
    Durations.requirePositive("a slow load's time", draft.slowLoad);
    Durations.requirePositive("patience", draft.patience);
    this.capacity = Objects.requireNonNull(draft.capacity, "capacity");
    this.expiry = Objects.requireNonNull(draft.expiry, "expiry");
    this.tolerance = draft.tolerance;
    this.lost = Objects.requireNonNull(draft.lost, "lost");
    this.renewal = Objects.requireNonNull(draft.renewal, "renewal");
    this.old = Objects.requireNonNull(draft.old, "old");
    this.audit = Objects.requireNonNull(draft.audit, "audit");
    this.shown = Objects.requireNonNull(draft.shown, "shown");
    this.slowLoad = draft.slowLoad;
    this.patience = draft.patience;
    this.standsDown = draft.standsDown;
  }

  private Policy with(Consumer<Draft> change) {
    Draft draft = new Draft();
    draft.capacity = capacity;
    draft.expiry = expiry;
    draft.tolerance = tolerance;
    draft.lost = lost;
    draft.renewal = renewal;
    draft.old = old;
    draft.audit = audit;
    draft.shown = shown;
    draft.slowLoad = slowLoad;
    draft.patience = patience;
    draft.standsDown = standsDown;
    change.accept(draft);
    return new Policy(draft);
  }

  @Override
  List<@Nullable Object> terms() {
    return Arrays.asList(
        capacity,
        expiry,
        tolerance,
        lost,
        renewal,
        old,
        audit,
        shown,
        slowLoad,
        patience,
        standsDown);
  }

  /** The defaults. */
  public static Policy standard() {
    return STANDARD;
  }

  /** The same with another capacity. */
  public Policy holding(Capacity most) {
    return with(draft -> draft.capacity = most);
  }

  /** The same with another end of answers. */
  public Policy expiring(Expiry when) {
    return with(draft -> draft.expiry = when);
  }

  /**
   * The same with another time to live after the load.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy ttl(Duration life) {
    return with(
        draft -> draft.expiry = draft.expiry.andAfter(Objects.requireNonNull(life, "life")));
  }

  /** The same without a time to live after the load. */
  public Policy withoutTtl() {
    return with(draft -> draft.expiry = draft.expiry.withoutTtl());
  }

  /**
   * The same with another lag before the feed counts as lost.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy tolerating(Duration lag) {
    return with(draft -> draft.tolerance = lag);
  }

  /** The same with something else to do while the feed is lost. */
  public Policy whenLost(WhenLost then) {
    return with(draft -> draft.lost = then);
  }

  /** The same with something else to do once something has changed. */
  public Policy renewing(Renewal how) {
    return with(draft -> draft.renewal = how);
  }

  /** The same with other answers that are served though they are out of date. */
  public Policy serving(OldAnswers onPurpose) {
    return with(draft -> draft.old = onPurpose);
  }

  /** The same with other audits. */
  public Policy auditing(Audit plan) {
    return with(draft -> draft.audit = plan);
  }

  /** The same of whose entries more or less is shown to whoever looks from outside. */
  public Policy showing(Shown what) {
    return with(draft -> draft.shown = what);
  }

  /**
   * The same of which loads are told in the log that take so long or longer.
   *
   * @throws IllegalArgumentException if that is not longer than zero
   */
  public Policy tellingOfLoadsFrom(Duration slow) {
    return with(draft -> draft.slowLoad = slow);
  }

  /**
   * The same with another patience for others' loads.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy waitingAtMost(Duration limit) {
    return with(draft -> draft.patience = limit);
  }

  /**
   * The same whose forms of question may stand down, or may not: nothing of a form is kept as long
   * as keeping it costs its callers more time than it saves them. A trial now and then tells
   * whether that is still so.
   */
  public Policy standingDown(boolean whereItCostsMore) {
    return with(draft -> draft.standsDown = whereItCostsMore);
  }

  /** Whether a form of question stands down that costs more than it gives; by default it does. */
  public boolean standsDown() {
    return standsDown;
  }

  /** How much to hold, and what leaves first; by default in the room that shelves share. */
  public Capacity capacity() {
    return capacity;
  }

  /** How long an answer may be served, however fresh; 10 minutes after its load by default. */
  public Expiry expiry() {
    return expiry;
  }

  /** How far the feed's watermark may lag before the feed counts as lost; 1 second by default. */
  public Duration tolerance() {
    return tolerance;
  }

  /** What to do while the feed is lost; by default the database answers each read. */
  public WhenLost lost() {
    return lost;
  }

  /** What to do once something has changed; by default a second look, and mending. */
  public Renewal renewal() {
    return renewal;
  }

  /** Whether answers are served that are out of date; none by default. */
  public OldAnswers old() {
    return old;
  }

  /**
   * How many hits are checked against direct reads; by default one a second at most, for a
   * thousandth of the loads' time.
   */
  public Audit audit() {
    return audit;
  }

  /** What is shown of its entries from outside; by default values, but no rows. */
  public Shown shown() {
    return shown;
  }

  /** Loads that take so long are told in the log, with what to do; five seconds by default. */
  public Duration slowLoad() {
    return slowLoad;
  }

  /**
   * How long callers wait for another caller's load before it counts as stuck and one more is
   * begun; 10 seconds by default.
   */
  public Duration patience() {
    return patience;
  }
}
