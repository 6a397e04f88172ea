package dev.warmshelf.shelf;

import java.util.Collection;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Objects;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Supplier;
import java.util.function.UnaryOperator;
import org.jspecify.annotations.Nullable;

/**
 * The engineer's word on what a key depends on, beyond what the library works out: for one query,
 * or for all queries of a shelf.
 *
 * <p>Immutable; each method returns an adjusted copy.
 */
public final class Recipe {
  private static final Recipe PLAIN = new Recipe(Set.of(), Map.of(), Map.of());

  private final Set<String> leftOut;
  private final Map<String, Supplier<? extends @Nullable Object>> added;
  private final Map<String, UnaryOperator<@Nullable Object>> folds;

  private Recipe(
      Set<String> leftOut,
      Map<String, Supplier<? extends @Nullable Object>> added,
      Map<String, UnaryOperator<@Nullable Object>> folds) {
    this.leftOut = leftOut;
    this.added = added;
    this.folds = folds;
  }

  /** Nothing beyond what the library works out. */
  public static Recipe plain() {
    return PLAIN;
  }

  /**
   * Leaves an input out: it may be given to a question, and neither the key nor the database sees
   * it. Refused when a query is made whose SQL has the parameter, since then one caller would get
   * the answer to another's question.
   */
  public Recipe leavingOut(String input) {
    Set<String> all = new TreeSet<>(leftOut);
    all.add(Objects.requireNonNull(input, "input"));
    return new Recipe(Collections.unmodifiableSet(all), added, folds);
  }

  /**
   * Adds a value from outside the query that changes the answer or who may see it, such as a
   * tenant.
   *
   * @param value asked each time a question is, on the caller's thread; of a type that a parameter
   *     may have
   */
  public Recipe adding(String name, Supplier<? extends @Nullable Object> value) {
    Map<String, Supplier<? extends @Nullable Object>> all = new LinkedHashMap<>(added);
    all.put(Objects.requireNonNull(name, "name"), Objects.requireNonNull(value, "value"));
    return new Recipe(leftOut, Collections.unmodifiableMap(all), folds);
  }

  /**
   * Makes values of a parameter one. The database gets the folded value too: otherwise whoever asks
   * first would decide what the others see.
   *
   * @param fold must give the same for the same, and leave what it gives as it is
   */
  public Recipe folding(String parameter, UnaryOperator<@Nullable Object> fold) {
    Map<String, UnaryOperator<@Nullable Object>> all = new LinkedHashMap<>(folds);
    all.put(Objects.requireNonNull(parameter, "parameter"), Objects.requireNonNull(fold, "fold"));
    return new Recipe(leftOut, added, Collections.unmodifiableMap(all));
  }

  /** This recipe, then another on top of it. */
  public Recipe and(Recipe other) {
    Recipe both = this;
    for (String input : other.leftOut) {
      both = both.leavingOut(input);
    }
    for (Map.Entry<String, Supplier<? extends @Nullable Object>> add : other.added.entrySet()) {
      both = both.adding(add.getKey(), add.getValue());
    }
    for (Map.Entry<String, UnaryOperator<@Nullable Object>> fold : other.folds.entrySet()) {
      both = both.folding(fold.getKey(), fold.getValue());
    }
    return both;
  }

  /** The same for a query with these parameters: of a shelf's recipe it needs no other fold. */
  public Recipe foldingOf(Collection<String> parameters) {
    Map<String, UnaryOperator<@Nullable Object>> own = new LinkedHashMap<>(folds);
    own.keySet().retainAll(parameters);
    return new Recipe(leftOut, added, Collections.unmodifiableMap(own));
  }

  /** What it adds to keys, and nothing else. */
  public Recipe addingOnly() {
    return new Recipe(Set.of(), added, Map.of());
  }

  /** The inputs that are left out. */
  public Set<String> leftOut() {
    return leftOut;
  }

  /** What is added, by name. */
  public Map<String, Supplier<? extends @Nullable Object>> added() {
    return added;
  }

  /** What makes values one, by parameter. */
  public Map<String, UnaryOperator<@Nullable Object>> folds() {
    return folds;
  }
}
