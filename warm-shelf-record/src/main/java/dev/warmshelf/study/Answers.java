package dev.warmshelf.study;

/** The last few answers that were met somewhere, by fingerprint, each once. For one thread. */
final class Answers {
  private static final int MOST = 6;

  private final long[] met = new long[MOST];
  private int count;

  /** Whether it was met before; it is from now on. */
  boolean meet(long fingerprint) {
    for (int i = 0; i < Math.min(count, MOST); i++) {
      if (met[i] == fingerprint) {
        return true;
      }
    }
    met[count++ % MOST] = fingerprint;
    return false;
  }

  int size() {
    return Math.min(count, MOST);
  }
}
