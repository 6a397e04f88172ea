package dev.warmshelf.door;

import java.sql.Array;
import org.jspecify.annotations.Nullable;

/** The driver's array, whose rows would lead to its connection. */
final class ShelvedArray extends DelegatingArray {
  private final Array array;
  private final ShelvedConnection connection;

  ShelvedArray(Array array, ShelvedConnection connection) {
    this.array = array;
    this.connection = connection;
  }

  /** The driver's own, of one of ours: to be bound, it must be that. */
  static @Nullable Object unwrapped(@Nullable Object value) {
    return value instanceof ShelvedArray ours ? ours.array : value;
  }

  @Override
  Array delegate() {
    return array;
  }

  @Override
  ShelvedConnection owner() {
    return connection;
  }

  /** As the database writes it: the driver binds arrays that are not its own by this. */
  @Override
  public String toString() {
    return array.toString();
  }
}
