package dev.warmshelf.meter;

import java.util.ArrayList;
import java.util.List;
import java.util.OptionalLong;
import java.util.concurrent.ConcurrentHashMap;

/**
 * What writers have committed in a measured run, so that readers can tell exactly how stale an
 * answer was. Per scope (a sailing, a route) versions only grow; a writer notes the version it made
 * and the moment its commit returned, and an answer carries the version it saw.
 *
 * <p>Thread-safe. Keeps every note until the run is over.
 *
 * @param <S> what names a scope; compares by content
 */
public final class CommitLedger<S> {
  private final ConcurrentHashMap<S, Notes> scopes = new ConcurrentHashMap<>();

  /**
   * Notes a commit, after it has returned.
   *
   * @param version what the scope's version has become
   * @param returnedNanos when the commit returned, on the monotonic clock
   */
  public void committed(S scope, long version, long returnedNanos) {
    scopes.computeIfAbsent(scope, s -> new Notes()).add(version, returnedNanos);
  }

  /**
   * How stale an answer is: the time from the return of the first commit that it misses to the
   * read's start. A commit that returned after the read began is not missed.
   *
   * @param seenVersion the scope's version in the answer
   * @param readBeganNanos when the read began, on the monotonic clock
   * @return the age in nanoseconds, or empty if the answer misses nothing
   */
  public OptionalLong staleness(S scope, long seenVersion, long readBeganNanos) {
    Notes notes = scopes.get(scope);
    return notes == null ? OptionalLong.empty() : notes.staleness(seenVersion, readBeganNanos);
  }

  private record Note(long version, long returnedNanos) {}

  /** Notes of one scope, nearly in order of version: concurrent writers may swap neighbours. */
  private static final class Notes {
    private final List<Note> notes = new ArrayList<>();

    synchronized void add(long version, long returnedNanos) {
      int at = notes.size();
      while (at > 0 && notes.get(at - 1).version() > version) {
        at--;
      }
      notes.add(at, new Note(version, returnedNanos));
    }

    synchronized OptionalLong staleness(long seenVersion, long readBeganNanos) {
      OptionalLong worst = OptionalLong.empty();
      for (int i = notes.size() - 1; i >= 0 && notes.get(i).version() > seenVersion; i--) {
        long age = readBeganNanos - notes.get(i).returnedNanos();
        if (age > 0 && (worst.isEmpty() || age > worst.getAsLong())) {
          worst = OptionalLong.of(age);
        }
      }
      return worst;
    }
  }
}
