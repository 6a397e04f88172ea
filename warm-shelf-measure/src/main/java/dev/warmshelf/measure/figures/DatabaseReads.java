package dev.warmshelf.measure.figures;

import dev.warmshelf.measure.database.DatabaseWork;
import java.util.Optional;

/**
 * The reads of one way that reached the database.
 *
 * @param ownCount by our count
 * @param work what the database did for them, by its own count; empty if it does not count
 */
public record DatabaseReads(long ownCount, Optional<DatabaseWork.Done> work) {
  /**
   * Whether the database's count and ours are the same; true where it does not count.
   *
   * @param refused how many questions it has refused, which it does not count
   */
  public boolean agree(long refused) {
    return work.isEmpty() || Math.abs(work.get().calls() - ownCount) <= refused;
  }
}
