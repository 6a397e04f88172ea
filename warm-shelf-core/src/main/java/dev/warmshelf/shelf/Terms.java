package dev.warmshelf.shelf;

import java.util.List;
import org.jspecify.annotations.Nullable;

/** A value that is made of terms: two of one kind are equal if all their terms are. */
abstract class Terms {
  /** All of them, always in the same order. */
  abstract List<@Nullable Object> terms();

  @Override
  public final boolean equals(@Nullable Object other) {
    return other instanceof Terms same
        && getClass() == same.getClass()
        && terms().equals(same.terms());
  }

  @Override
  public final int hashCode() {
    return terms().hashCode();
  }

  @Override
  public String toString() {
    return getClass().getSimpleName() + terms();
  }
}
