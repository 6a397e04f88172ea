package dev.warmshelf.store;

import org.jspecify.annotations.Nullable;

/**
 * How often keys were asked for whose entries have left. Keys share places by their hashes; what
 * comes later takes the place. Guarded by the room's lock.
 */
final class Remembered {
  private final int[] hashes;
  private final float[] uses;
  private final long[] since;

  /**
   * @param places how many keys to remember at most, a power of two
   */
  Remembered(int places) {
    this.hashes = new int[places];
    this.uses = new float[places];
    this.since = new long[places];
  }

  void note(int hash, Uses left) {
    int place = place(hash);
    hashes[place] = hash;
    uses[place] = left.before();
    since[place] = left.since();
  }

  @Nullable Uses find(int hash) {
    int place = place(hash);
    return uses[place] > 0 && hashes[place] == hash ? new Uses(uses[place], since[place]) : null;
  }

  private int place(int hash) {
    return ((hash * 0x9e3779b9) >>> 8) & (hashes.length - 1);
  }
}
