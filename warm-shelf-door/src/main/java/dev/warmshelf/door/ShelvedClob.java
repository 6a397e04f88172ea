package dev.warmshelf.door;

import java.sql.Clob;
import org.jspecify.annotations.Nullable;

/** A large object of the driver's, which is read and written over its connection. */
final class ShelvedClob extends DelegatingClob {
  private final Clob object;
  private final ShelvedConnection connection;

  ShelvedClob(Clob object, ShelvedConnection connection) {
    this.object = object;
    this.connection = connection;
  }

  /** The driver's own, of one of ours: to be bound, it must be that. */
  static @Nullable Object unwrapped(@Nullable Object value) {
    return value instanceof ShelvedClob ours ? ours.object : value;
  }

  @Override
  Clob delegate() {
    return object;
  }

  @Override
  ShelvedConnection owner() {
    return connection;
  }
}
