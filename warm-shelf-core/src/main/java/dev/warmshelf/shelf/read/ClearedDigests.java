package dev.warmshelf.shelf.read;

import dev.warmshelf.key.Key;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.Iterator;

/**
 * What was cleared by the beginning of its digest, which tells of no lane: the question may be one
 * that nobody has asked here.
 *
 * <p>What is remembered is bounded; what was cleared before the oldest of it counts as naming every
 * question.
 *
 * <p>Thread-safe.
 */
final class ClearedDigests {
  private static final int MOST = 1_000;

  private final Deque<Cleared> all = new ArrayDeque<>();
  private volatile long latest = -1;
  private long forgotten = -1;

  private record Cleared(boolean form, String digest, long tick) {}

  void addKey(String digest, long tick) {
    add(new Cleared(false, digest, tick));
  }

  void addForm(String digest, long tick) {
    add(new Cleared(true, digest, tick));
  }

  private synchronized void add(Cleared cleared) {
    all.addLast(cleared);
    latest = Math.max(latest, cleared.tick());
    if (all.size() > MOST) {
      forgotten = Math.max(forgotten, all.removeFirst().tick());
    }
  }

  /** Whether an answer under this key with this fence was cleared. */
  boolean names(Key key, long fence) {
    return fence < latest && namesOne(key, fence);
  }

  private synchronized boolean namesOne(Key key, long fence) {
    if (fence < forgotten) {
      return true;
    }
    String ofKey = key.digest();
    String ofForm = key.form().formDigest();
    for (Iterator<Cleared> later = all.descendingIterator(); later.hasNext(); ) {
      Cleared cleared = later.next();
      String digest = cleared.form() ? ofForm : ofKey;
      if (fence < cleared.tick() && digest.startsWith(cleared.digest())) {
        return true;
      }
    }
    return false;
  }
}
