package dev.warmshelf.repository;

import dev.warmshelf.WarmShelf;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/** What a method's annotations may say, for an interface that has none. Immutable. */
public final class MethodRule {
  private final @Nullable String keptOn;
  private final Set<String> leavingOut;
  private final Set<String> drops;
  private final boolean fills;

  private MethodRule(
      @Nullable String keptOn, Set<String> leavingOut, Set<String> drops, boolean fills) {
    this.keptOn = keptOn;
    this.leavingOut = leavingOut;
    this.drops = drops;
    this.fills = fills;
  }

  /** Nothing: its results are not kept, and it drops none. */
  public static MethodRule nothing() {
    return new MethodRule(null, Set.of(), Set.of(), false);
  }

  /** Its results are kept on the main shelf. */
  public static MethodRule kept() {
    return keptOn(WarmShelf.MAIN_SHELF);
  }

  /** Its results are kept on this shelf. */
  public static MethodRule keptOn(String shelf) {
    return nothing().andKeptOn(shelf);
  }

  /** The same, and its results are kept on this shelf. */
  public MethodRule andKeptOn(String shelf) {
    return new MethodRule(shelf, leavingOut, drops, fills);
  }

  /** The same, where these parameters make no difference. */
  public MethodRule leavingOut(String... parameters) {
    return new MethodRule(keptOn, Set.of(parameters), drops, fills);
  }

  /** It drops the results of these methods. */
  public static MethodRule dropping(String... methods) {
    return nothing().andDropping(methods);
  }

  /** The same, and it drops the results of these methods. */
  public MethodRule andDropping(String... methods) {
    return new MethodRule(keptOn, leavingOut, Set.of(methods), fills);
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

  /** The shelf that its results are kept on; empty if they are not. */
  public Optional<String> shelf() {
    return Optional.ofNullable(keptOn);
  }

  /** Parameters that make no difference to them. */
  public Set<String> leftOut() {
    return leavingOut;
  }

  /** Methods whose results are invalidated once what it has written is committed. */
  public Set<String> drops() {
    return drops;
  }

  /** Whether these results are worked out anew at once. */
  public boolean fills() {
    return fills;
  }

  @Override
  public boolean equals(@Nullable Object other) {
    return other instanceof MethodRule same
        && shelf().equals(same.shelf())
        && leavingOut.equals(same.leavingOut)
        && drops.equals(same.drops)
        && fills == same.fills;
  }

  @Override
  public int hashCode() {
    return Objects.hash(keptOn, leavingOut, drops, fills);
  }

  /** What it says, in words. */
  @Override
  public String toString() {
    return "MethodRule" + List.of(shelf(), leavingOut, drops, fills);
  }
}
