package dev.warmshelf.trial;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;

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
  private final List<Commit<S>> inOrder = new ArrayList<>();
  private final AtomicInteger underWay = new AtomicInteger();
  private final AtomicLong notes = new AtomicLong();

  /**
   * A commit's note.
   *
   * @param version what the scope's version has become
   * @param returnedNanos when the commit returned, on the monotonic clock
   */
  public record Commit<S>(S scope, long version, long returnedNanos) {}

  /**
   * Says that a commit is about to be sent. From here until {@link #commitIsOver()} its notes may
   * still come, though it has returned.
   */
  public void commitBegins() {
    underWay.incrementAndGet();
  }

  /** Says that a commit has returned, or failed, and that all its notes are made. */
  public void commitIsOver() {
    notes.incrementAndGet();
    underWay.decrementAndGet();
  }

  /**
   * Whether every commit that has returned by now is noted. Asked after a read, it tells whether
   * the read's staleness is known for certain; if not, ask for it later.
   */
  public boolean isSettled() {
    return underWay.get() == 0;
  }

  /** Grows with each commit; while it stands still, {@link #firstMissed} says the same. */
  public long sequence() {
    return notes.get();
  }

  /**
   * When the first commit returned, of those noted so far, that an answer misses.
   *
   * @param seen the version of each scope in the answer
   * @return on the monotonic clock; empty if the answer misses none
   */
  public OptionalLong firstMissed(Map<? extends S, Long> seen) {
    long first = Long.MAX_VALUE;
    for (Map.Entry<? extends S, Long> each : seen.entrySet()) {
      Notes noted = scopes.get(each.getKey());
      if (noted != null) {
        first = Math.min(first, noted.firstAbove(each.getValue()));
      }
    }
    return first == Long.MAX_VALUE ? OptionalLong.empty() : OptionalLong.of(first);
  }

  /**
   * Notes a commit, after it has returned.
   *
   * @param version what the scope's version has become
   * @param returnedNanos when the commit returned, on the monotonic clock
   */
  public void committed(S scope, long version, long returnedNanos) {
    scopes.computeIfAbsent(scope, s -> new Notes()).add(version, returnedNanos);
    synchronized (inOrder) {
      inOrder.add(new Commit<>(scope, version, returnedNanos));
    }
  }

  /**
   * The notes but for the first ones, in the order in which they were made, for a ledger elsewhere.
   *
   * @param known how many to leave out
   */
  public List<Commit<S>> notesAfter(int known) {
    synchronized (inOrder) {
      return List.copyOf(inOrder.subList(known, inOrder.size()));
    }
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
    OptionalLong missed = firstMissed(Map.of(scope, seenVersion));
    return missed.isPresent() && missed.getAsLong() < readBeganNanos
        ? OptionalLong.of(readBeganNanos - missed.getAsLong())
        : OptionalLong.empty();
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

    /** When the first commit above this version returned; {@link Long#MAX_VALUE} for none. */
    synchronized long firstAbove(long version) {
      long first = Long.MAX_VALUE;
      for (int i = notes.size() - 1; i >= 0 && notes.get(i).version() > version; i--) {
        first = Math.min(first, notes.get(i).returnedNanos());
      }
      return first;
    }
  }
}
