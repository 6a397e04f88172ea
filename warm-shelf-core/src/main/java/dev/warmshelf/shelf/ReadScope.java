package dev.warmshelf.shelf;

import dev.warmshelf.key.Key;
import dev.warmshelf.store.Entry;
import java.util.HashMap;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * A piece of work in which the same question gives the same answer, whatever changes meanwhile, and
 * however fresh an answer it asks for; to ask again costs no look at the shelf. What bypasses the
 * shelves is asked each time. Once the thread itself has committed a change, it is given new
 * answers: it must not miss its own.
 *
 * <p>It is of the thread that has begun it, and of those that take part by {@link
 * Observation#handing}; an inner one has answers of its own. To be closed by the same thread.
 */
public final class ReadScope implements AutoCloseable {
  private static final ThreadLocal<@Nullable ReadScope> CURRENT = new ThreadLocal<>();

  private final @Nullable ReadScope outer;
  private final Map<Key, Reading<?>> readings = new HashMap<>();
  private boolean hasUnknown;

  private ReadScope(@Nullable ReadScope outer) {
    this.outer = outer;
  }

  /** Begins one on this thread. */
  public static ReadScope begin() {
    ReadScope scope = new ReadScope(CURRENT.get());
    CURRENT.set(scope);
    return scope;
  }

  /** The innermost that this thread is in; null if it is in none. */
  public static @Nullable ReadScope current() {
    return CURRENT.get();
  }

  /** Puts this thread into a scope, or into none; returns the one that it was in. */
  static @Nullable ReadScope enter(@Nullable ReadScope scope) {
    ReadScope before = CURRENT.get();
    if (scope == null) {
      CURRENT.remove();
    } else {
      CURRENT.set(scope);
    }
    return before;
  }

  /**
   * What this scope has for a question; asked now if it has nothing.
   *
   * @param asking gives the answer as it is kept
   * @throws X what that threw
   */
  public <A extends @Nullable Object, X extends Exception> Reading<A> reading(
      Key key, Loader<Reading<A>, X> asking) throws X {
    synchronized (this) {
      @SuppressWarnings("unchecked") // a key belongs to one kind of question, and so to one type
      Reading<A> known = (Reading<A>) readings.get(key);
      if (known != null) {
        return known;
      }
    }
    Reading<A> reading = asking.load();
    synchronized (this) {
      if (reading.unshared().isPresent()) {
        hasUnknown = true;
        return reading;
      }
      @SuppressWarnings("unchecked")
      Reading<A> other = (Reading<A>) readings.putIfAbsent(key, reading);
      return other == null ? reading : other;
    }
  }

  /** Notes, if this thread is in a scope, that something was read past the shelves. */
  public static void noteBypass() {
    ReadScope scope = CURRENT.get();
    if (scope != null) {
      scope.bypassed();
    }
  }

  /**
   * Notes, if this thread is in a scope, that it has committed a change: what was read may miss it.
   */
  public static void noteCommit() {
    ReadScope scope = CURRENT.get();
    if (scope != null) {
      scope.forget();
    }
  }

  private synchronized void bypassed() {
    hasUnknown = true;
  }

  private synchronized void forget() {
    readings.clear();
    hasUnknown = true;
  }

  /**
   * Whether all that was read says what the feed has told by now, no less and no more, so that all
   * of it was true at one moment: the one up to which the feed has told everything. To be asked
   * once the feed has told of all that had committed when the last of it was read.
   */
  public synchronized boolean holdsAtOneMoment() {
    return !hasUnknown && readings.values().stream().allMatch(ReadScope::isToldOf);
  }

  private static boolean isToldOf(Reading<?> reading) {
    Entry entry = reading.entry();
    return entry != null && reading.holdsStill();
  }

  @Override
  public void close() {
    enter(outer);
  }
}
