package dev.warmshelf.shelf.read;

import dev.warmshelf.key.Key;
import dev.warmshelf.shelf.Loader;
import dev.warmshelf.shelf.ReadScope;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.store.Entry;
import java.util.HashMap;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/** A piece of work, with the answers that it has been given. */
public final class Scope implements ReadScope {
  private static final ThreadLocal<@Nullable Scope> CURRENT = new ThreadLocal<>();

  private final @Nullable Scope outer;
  private final Map<Key, Reading<?>> readings = new HashMap<>();
  private boolean hasUnknown;

  private Scope(@Nullable Scope outer) {
    this.outer = outer;
  }

  /** Begins one on this thread. */
  public static Scope begin() {
    Scope scope = new Scope(CURRENT.get());
    CURRENT.set(scope);
    return scope;
  }

  /** The innermost that this thread is in; null if it is in none. */
  public static @Nullable Scope current() {
    return CURRENT.get();
  }

  /** Puts this thread into a scope, or into none; returns the one that it was in. */
  static @Nullable Scope enter(@Nullable Scope scope) {
    Scope before = CURRENT.get();
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
    Scope scope = CURRENT.get();
    if (scope != null) {
      scope.bypassed();
    }
  }

  /**
   * Notes, if this thread is in a scope, that it has committed a change: what was read may miss it.
   */
  public static void noteCommit() {
    Scope scope = CURRENT.get();
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

  @Override
  public synchronized boolean holdsAtOneMoment() {
    return !hasUnknown && readings.values().stream().allMatch(Scope::isToldOf);
  }

  private static boolean isToldOf(Reading<?> reading) {
    Entry entry = ShelfReading.of(reading).entry();
    return entry != null && reading.holdsStill();
  }

  @Override
  public void close() {
    enter(outer);
  }
}
