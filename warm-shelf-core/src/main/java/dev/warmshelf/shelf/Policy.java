package dev.warmshelf.shelf;

import dev.warmshelf.base.Durations;
import java.time.Duration;
import java.util.Objects;

/**
 * How one shelf keeps answers. Immutable; each method returns an adjusted copy.
 *
 * @param capacity how much to hold, and what leaves first; by default in the room that shelves
 *     share
 * @param expiry how long an answer may be served, however fresh; 10 minutes after its load by
 *     default
 * @param trust when the feed counts as lost, and what to do then; by default after 1 second, and
 *     the database answers each read
 * @param renewal what to do once something has changed; by default a second look, and mending
 * @param old whether answers are served that are out of date; none by default
 * @param oversight how it is looked after; by default a hit a second at most is checked against a
 *     direct read, for a thousandth of the loads' time, values are shown of its entries, but no
 *     rows, and loads of five seconds are told in the log
 * @param patience how long callers wait for another caller's load before it counts as stuck and one
 *     more is begun; 10 seconds by default
 */
public record Policy(
    Capacity capacity,
    Expiry expiry,
    FeedTrust trust,
    Renewal renewal,
    OldAnswers old,
    Oversight oversight,
    Duration patience) {
  private static final Policy STANDARD =
      new Policy(
          Capacity.shared(),
          Expiry.after(Duration.ofMinutes(10)),
          new FeedTrust(Duration.ofSeconds(1), WhenLost.askDatabase()),
          Renewal.mending(),
          OldAnswers.none(),
          new Oversight(Audit.standard(), Shown.VALUES, Duration.ofSeconds(5)),
          Duration.ofSeconds(10));

  /**
   * With patience.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy {
    Objects.requireNonNull(capacity, "capacity");
    Objects.requireNonNull(expiry, "expiry");
    Objects.requireNonNull(trust, "trust");
    Objects.requireNonNull(renewal, "renewal");
    Objects.requireNonNull(old, "old");
    Objects.requireNonNull(oversight, "oversight");
    Durations.requirePositive("patience", patience);
  }

  /** The defaults. */
  public static Policy standard() {
    return STANDARD;
  }

  /** The same with another capacity. */
  public Policy holding(Capacity most) {
    return new Policy(most, expiry, trust, renewal, old, oversight, patience);
  }

  /** The same with another end of answers. */
  public Policy expiring(Expiry when) {
    return new Policy(capacity, when, trust, renewal, old, oversight, patience);
  }

  /**
   * The same with another time to live after the load.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy ttl(Duration life) {
    return expiring(expiry.andAfter(Objects.requireNonNull(life, "life")));
  }

  /** The same without a time to live after the load. */
  public Policy withoutTtl() {
    return expiring(expiry.andAfter(null));
  }

  /**
   * The same with another lag before the feed counts as lost.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy tolerating(Duration lag) {
    return trusting(new FeedTrust(lag, trust.whenLost()));
  }

  /** The same with something else to do while the feed is lost. */
  public Policy whenLost(WhenLost then) {
    return trusting(new FeedTrust(trust.tolerance(), then));
  }

  private Policy trusting(FeedTrust how) {
    return new Policy(capacity, expiry, how, renewal, old, oversight, patience);
  }

  /** The same with something else to do once something has changed. */
  public Policy renewing(Renewal how) {
    return new Policy(capacity, expiry, trust, how, old, oversight, patience);
  }

  /** The same with other answers that are served though they are out of date. */
  public Policy serving(OldAnswers onPurpose) {
    return new Policy(capacity, expiry, trust, renewal, onPurpose, oversight, patience);
  }

  /** The same with other audits. */
  public Policy auditing(Audit plan) {
    return overseeing(
        new Oversight(
            Objects.requireNonNull(plan, "plan"), oversight.shown(), oversight.slowLoad()));
  }

  /** The same of whose entries more or less is shown to whoever looks from outside. */
  public Policy showing(Shown what) {
    return overseeing(
        new Oversight(
            oversight.audit(), Objects.requireNonNull(what, "what"), oversight.slowLoad()));
  }

  /**
   * The same of which loads are told in the log that take so long or longer; five seconds by
   * default.
   *
   * @throws IllegalArgumentException if that is not longer than zero
   */
  public Policy tellingOfLoadsFrom(Duration slow) {
    return overseeing(new Oversight(oversight.audit(), oversight.shown(), slow));
  }

  private Policy overseeing(Oversight how) {
    return new Policy(capacity, expiry, trust, renewal, old, how, patience);
  }

  /**
   * The same with another patience for others' loads.
   *
   * @throws IllegalArgumentException if it is not longer than zero
   */
  public Policy waitingAtMost(Duration limit) {
    return new Policy(capacity, expiry, trust, renewal, old, oversight, limit);
  }

  long patienceNanos() {
    return Durations.saturatedNanos(patience);
  }
}
