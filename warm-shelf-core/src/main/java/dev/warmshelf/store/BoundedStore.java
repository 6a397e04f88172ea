package dev.warmshelf.store;

import dev.warmshelf.key.Key;
import dev.warmshelf.store.Room.Slot;
import java.util.Objects;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;

/**
 * Entries in memory, as many as there is {@link Room} for.
 *
 * <p>Reads touch only the map. It changes only under the room's lock, so the map and what the room
 * counts are of one mind.
 */
public final class BoundedStore implements Store {
  /** Changed only by the room. */
  final ConcurrentHashMap<Key, Slot> slots = new ConcurrentHashMap<>();

  /** Of all slots; changed only by the room. */
  final AtomicLong bytes = new AtomicLong();

  final Keeper keeper;
  private final Room room;

  /**
   * An empty store.
   *
   * @param room its own, or shared with other stores
   * @param keeper told of what leaves
   */
  public BoundedStore(Room room, Keeper keeper) {
    this.room = Objects.requireNonNull(room, "room");
    this.keeper = Objects.requireNonNull(keeper, "keeper");
  }

  @Override
  public @Nullable Entry get(Key key) {
    Slot slot = slots.get(key);
    return slot == null ? null : slot.entry;
  }

  @Override
  public boolean put(Entry entry) {
    return room.put(this, entry);
  }

  @Override
  public boolean remove(Entry entry) {
    return room.remove(this, entry);
  }

  @Override
  public void forEach(Consumer<Entry> visitor) {
    slots.values().forEach(slot -> visitor.accept(slot.entry));
  }

  @Override
  public int size() {
    return slots.size();
  }

  @Override
  public long bytes() {
    return bytes.get();
  }
}
