package dev.warmshelf.repository;

import java.sql.SQLException;
import org.jspecify.annotations.Nullable;

/** A general part of repositories. */
public interface Finding<T, K> {
  @Kept
  @Nullable T find(K key) throws SQLException;
}
