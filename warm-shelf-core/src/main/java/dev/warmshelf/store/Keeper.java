package dev.warmshelf.store;

/** Who knows what the entries of a store are good for. Called under the store's lock: be brief. */
public interface Keeper {
  /** One for whom nothing is ever out by itself, and who counts nothing. */
  Keeper NONE =
      new Keeper() {
        @Override
        public boolean isOut(Entry entry) {
          return false;
        }

        @Override
        public void left(Entry entry) {
          // it may
        }
      };

  /** Whether an entry can be of no use any more: it would leave if somebody asked for it. */
  boolean isOut(Entry entry);

  /** Told of each entry that leaves by itself: for want of room, or since it is out. */
  void left(Entry entry);
}
