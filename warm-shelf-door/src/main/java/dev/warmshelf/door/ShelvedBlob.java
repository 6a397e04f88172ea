package dev.warmshelf.door;

import java.sql.Blob;
import org.jspecify.annotations.Nullable;

/** A large object of the driver's, which is read and written over its connection. */
final class ShelvedBlob extends DelegatingBlob {
  private final Blob object;
  private final ShelvedConnection connection;

  ShelvedBlob(Blob object, ShelvedConnection connection) {
    this.object = object;
    this.connection = connection;
  }

  /** The driver's own, of one of ours: to be bound, it must be that. */
  static @Nullable Object unwrapped(@Nullable Object value) {
    return value instanceof ShelvedBlob ours ? ours.object : value;
  }

  @Override
  Blob delegate() {
    return object;
  }

  @Override
  ShelvedConnection owner() {
    return connection;
  }
}
