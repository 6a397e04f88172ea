package dev.warmshelf.shelf.read;

import dev.warmshelf.fresh.Fence;
import dev.warmshelf.fresh.LookBack;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.plan.Interest;
import dev.warmshelf.shelf.Expiry;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.OldAnswers;
import dev.warmshelf.store.Fill.Life;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * How to answer a question that is not on the shelf.
 *
 * @param <A> the answer as it is kept
 * @param <X> what loading may throw
 */
public interface ReadRequest<A extends @Nullable Object, X extends Exception> {
  /** The lanes of the answer, as far as the question tells them. */
  Footprint lanes();

  /**
   * Asks the database, once.
   *
   * @throws X if there is no answer
   */
  A load() throws X;

  /**
   * Asks the database, once, for the caller alone: nothing is looked up beside the answer. If
   * others could not be given it for that, {@link #unshareable} says so.
   *
   * @throws X if there is no answer
   */
  default A loadAlone() throws X {
    return load();
  }

  /**
   * Whether it may ask the database alone where to keep its answers costs more than it gives. Who
   * needs what a shelf alone can tell may not.
   */
  default boolean mayStandDown() {
    return false;
  }

  /**
   * All lanes of the answer.
   *
   * @param before what {@link #lanes()} returned
   */
  default Footprint lanes(Footprint before, A answer) {
    return before;
  }

  /**
   * Why the answer goes to the caller that loaded it, and to nobody else, in words; null if it is
   * good for others too.
   */
  default @Nullable String unshareable(A answer) {
    return null;
  }

  /**
   * What an answer stands on that was made of other answers: where the board and the clock stood
   * when the first thing changed that it may miss.
   *
   * @param before its load
   */
  default Fence since(Fence before) {
    return before;
  }

  /**
   * How long an answer may be served that was made of other answers: no longer than those.
   *
   * @param life as the policy has it
   */
  default Life noLongerThan(Life life) {
    return life;
  }

  /**
   * Which changes could make a difference to an answer; null if that is not known, and then any
   * change to its lanes may.
   */
  default @Nullable Interest interest(A answer) {
    return null;
  }

  /**
   * Whether it is certain that none of these changes reaches an answer, by other answers that say
   * nothing that the feed has not told of. Whoever asks looks again afterwards whether there were
   * other changes. Asked only of what is worth the database's being asked for those.
   *
   * @param touching all changes that could make a difference to it, as far as is known
   */
  default boolean cannotReach(List<Change> touching) {
    return false;
  }

  /**
   * How to ask for what has changed of an answer, and for nothing else of it. What that gives is
   * the whole answer, the old one itself if nothing of it has changed, or null if it could not be
   * done after all. Once it returns the board knows of every change that had committed when the
   * database was asked; whoever calls it looks whether one of them came in between.
   *
   * @param old as it was kept
   * @param changes since then
   * @return null if that cannot be done
   */
  default @Nullable Loader<@Nullable A, X> mending(A old, LookBack changes) {
    return null;
  }

  /**
   * How stale a kept answer may be for this caller, in nanoseconds: every change that committed
   * longer ago must be in it. By default as stale as the shelf's policy lets it be.
   */
  default long freshWithinNanos() {
    return Long.MAX_VALUE;
  }

  /**
   * How long to wait for another caller's load, in nanoseconds; 0 for not at all, which is right
   * for a caller that holds what that load may need, such as a connection.
   */
  default long waitLimitNanos() {
    return Long.MAX_VALUE;
  }

  /**
   * Whether the lanes were worked out for this version of the schema. An answer whose load begins
   * under another is for its caller alone: nobody knows what would invalidate it.
   */
  default boolean holdsFor(long schemaVersion) {
    return true;
  }

  /** Whether two answers say the same. */
  default boolean isSame(A one, A other) {
    return Objects.equals(one, other);
  }

  /**
   * How two answers differ that do not say the same, in words, for a log: nothing of what is in
   * them.
   */
  default String difference(A kept, A read) {
    return "another value was read";
  }

  /**
   * Whether only the data decide what the answer is. An answer that shows the first ten of rows
   * that are tied, or sums floats in any order, may be right and yet another one each time.
   */
  default boolean isDecided() {
    return true;
  }

  /**
   * Whether it can be loaded just now for nobody who waits, without taking from anybody what he
   * waits for.
   */
  default boolean mayAskAside() {
    return true;
  }

  /**
   * The same question for another thread, some time later: to load the answer once more, to renew
   * it or to compare it with what was kept. It stays what it is, whatever becomes of this request.
   *
   * @return null if it can be asked here and now only
   */
  default @Nullable ReadRequest<A, ?> elsewhere() {
    return null;
  }

  /** How long the answer may be served; null as the shelf's policy has it. */
  default @Nullable Expiry expiry() {
    return null;
  }

  /** Which old answers this caller takes; null as the shelf's policy has it. */
  default @Nullable OldAnswers old() {
    return null;
  }

  /**
   * Whether an error says that the database fails to answer, and not that the question is wrong.
   */
  default boolean isOfDatabase(Exception error) {
    return true;
  }

  /** Where to look, before a load, for what other processes have; null for nowhere. */
  default @Nullable Others fromOthers() {
    return null;
  }

  /** The question as it was asked, for a recording; null if it is no query. */
  default @Nullable AskedQuestion words() {
    return null;
  }

  /**
   * By which columns changes of a table would have to be told apart, all of them, for fewer of them
   * to reach the answer; empty if none would help, or nobody knows. Asked now and then.
   */
  default List<String> toldApartBy(Lane table) {
    return List.of();
  }

  /** A request whose lanes are all known. */
  static <A extends @Nullable Object, X extends Exception> ReadRequest<A, X> of(
      Footprint lanes, Loader<? extends A, X> loader) {
    return new ReadRequest<>() {
      @Override
      public Footprint lanes() {
        return lanes;
      }

      @Override
      public A load() throws X {
        return loader.load();
      }
    };
  }
}
