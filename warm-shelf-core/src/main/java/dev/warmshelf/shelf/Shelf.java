package dev.warmshelf.shelf;

import dev.warmshelf.meter.Meters;
import java.time.Instant;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;

/**
 * A named place for answers, with one policy: what a program sees of it. Queries, computations and
 * wrapped data sources read through it.
 *
 * <p>Thread-safe. A program does not implement it.
 */
public interface Shelf {
  /** When to keep an answer that was made from an own write. */
  enum WriteThrough {
    /** Only if the shelf holds an answer to the question, fresh or not. */
    IF_KEPT,
    ANYWAY
  }

  /** By which the program calls it. */
  String name();

  /** By which it keeps answers. */
  Policy policy();

  /** What it counts and times; goes on. */
  Meters meters();

  /** How many answers are held just now, fresh or not. */
  int size();

  /** About how many bytes the answers take that are held just now. */
  long bytes();

  /** How many answers may be served just now. Looks at every entry. */
  int fresh();

  /** What reads get just now, in words. */
  String gives();

  /** What is held, for somebody who looks from outside. Looks at every entry. */
  EntryPage entries(EntryQuery asked);

  /**
   * One of the entries. Looks at every entry.
   *
   * @param digest the beginning of its key's digest
   */
  Optional<EntryDetail> entry(String digest);

  /**
   * Invalidates the answers to one question: what is held, what is being loaded, and what comes
   * from another process. Looks at every entry.
   *
   * @param digest the beginning of its key's digest
   * @return how many entries have left
   */
  int clearEntry(String digest);

  /**
   * Invalidates the answers to all questions of a form: what is held, what is being loaded, and
   * what comes from another process. Looks at every entry.
   *
   * @param form the beginning of the form's digest
   * @return how many entries have left
   */
  int clearForm(String form);

  /** Invalidates all answers, in constant time. None whose load has begun by now is served. */
  void clear();

  /** Whether the feed has been silent for longer than the policy tolerates. */
  boolean isFeedLost();

  /**
   * What changes invalidated needlessly, by table, that first whose needless reloads took the
   * database longest; empty if there was nothing of that.
   */
  List<NeedlessReloads> needless();

  /**
   * The forms of which an audit has found an answer wrong, by the beginnings of their digests: the
   * database answers their questions until they are cleared, or the shelf is.
   */
  Set<String> accused();

  /** The forms of question that stand down, who longest first; see {@link Policy#standingDown}. */
  List<StoodDown> stoodDown();

  /**
   * A form of question of which nothing is kept just now, since that cost more than it gave. It
   * comes back by itself once a trial gains; {@link Policy#standingDown} forbids it.
   *
   * @param form the beginning of the form's digest, by which logs and tools call it
   * @param statement its normal form
   * @param since when it stood down
   * @param why in words
   */
  record StoodDown(String form, String statement, Instant since, String why) {
    /** All of it. */
    public StoodDown {
      Objects.requireNonNull(form, "form");
      Objects.requireNonNull(statement, "statement");
      Objects.requireNonNull(since, "since");
      Objects.requireNonNull(why, "why");
    }
  }
}
