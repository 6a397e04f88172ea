package dev.warmshelf.store;

import dev.warmshelf.store.Room.Slot;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import org.jspecify.annotations.Nullable;

/**
 * A list without gaps that grows in pieces, so that no addition ever copies all of it. The last
 * takes the place of one that is removed. Not thread-safe.
 */
final class Slots {
  private static final int PIECE = 1 << 12;

  private final List<@Nullable Slot[]> pieces = new ArrayList<>();
  private int size;

  int size() {
    return size;
  }

  Slot get(int place) {
    return Objects.requireNonNull(pieces.get(place / PIECE)[place % PIECE], "no gaps");
  }

  void add(Slot slot) {
    if (size == pieces.size() * PIECE) {
      pieces.add(new @Nullable Slot[PIECE]);
    }
    set(size++, slot);
  }

  /** Removes a slot, if it is here. */
  void remove(Slot slot) {
    int place = slot.place;
    if (place < 0) {
      return;
    }
    Slot last = get(--size);
    set(place, last);
    pieces.get(size / PIECE)[size % PIECE] = null;
    slot.place = -1;
  }

  private void set(int place, Slot slot) {
    pieces.get(place / PIECE)[place % PIECE] = slot;
    slot.place = place;
  }
}
