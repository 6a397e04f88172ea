package dev.warmshelf.store;

/** Who knows what the entries of a store are good for. Called under the store's lock: be brief. */
public interface Keeper {
  /** Whether an entry can be of no use any more: it would leave if somebody asked for it. */
  boolean isOut(Entry entry);

  /** Told of each entry that leaves by itself: for want of room, or since it is out. */
  void left(Entry entry);
}
