package dev.warmshelf.repository;

import dev.warmshelf.WarmShelf;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * What a method's annotations may say, for an interface that has none.
 *
 * @param keptOn the shelf that its results are kept on; null if they are not
 * @param leavingOut parameters that make no difference to them
 * @param drops methods whose results are invalidated once what it has written is committed
 * @param fills whether these results are worked out anew at once
 */
public record MethodRule(
    @Nullable String keptOn, Set<String> leavingOut, Set<String> drops, boolean fills) {
  /** Keeps copies. */
  public MethodRule {
    leavingOut = Set.copyOf(leavingOut);
    drops = Set.copyOf(drops);
  }

  /** Its results are kept on the main shelf. */
  public static MethodRule kept() {
    return keptOn(WarmShelf.MAIN_SHELF);
  }

  /** Its results are kept on this shelf. */
  public static MethodRule keptOn(String shelf) {
    return new MethodRule(shelf, Set.of(), Set.of(), false);
  }

  /** The same, where these parameters make no difference. */
  public MethodRule leavingOut(String... parameters) {
    return new MethodRule(keptOn, Set.of(parameters), drops, fills);
  }

  /** It drops the results of these methods. */
  public static MethodRule dropping(String... methods) {
    return new MethodRule(null, Set.of(), Set.of(methods), false);
  }

  /** The same, and has them worked out anew. */
  public MethodRule andFilling() {
    return new MethodRule(keptOn, leavingOut, drops, true);
  }

  /** What annotations say; null if there is none. */
  static @Nullable MethodRule of(@Nullable Kept kept, @Nullable Drops drops) {
    if (kept == null && drops == null) {
      return null;
    }
    return new MethodRule(
        kept == null ? null : kept.on(),
        kept == null ? Set.of() : Set.of(kept.leavingOut()),
        drops == null ? Set.of() : Set.of(drops.value()),
        drops != null && drops.andFills());
  }
}
