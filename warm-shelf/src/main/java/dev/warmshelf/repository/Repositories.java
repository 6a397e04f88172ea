package dev.warmshelf.repository;

import dev.warmshelf.WarmShelf;
import java.lang.reflect.Proxy;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import org.jspecify.annotations.Nullable;

/**
 * Wraps interfaces of a program's own: the object that comes back is of the same interface, and
 * keeps the results of the methods that say {@link Kept}, or of which a rule says so, as a {@link
 * dev.warmshelf.Computation} does. Nobody lists tables: what a method reads on {@link
 * WarmShelf#dataSource()} is seen.
 *
 * <p>Callers need not change. Exceptions reach them as they are, and are not kept; null, an empty
 * result and a primitive are kept like others. Lists, sets, collections and maps are given as
 * copies that cannot be changed, arrays and streams anew each time; all other objects are shared
 * among callers, and must not be changed. A default method that the implementation does not
 * override runs on the wrapped object, so that what it calls is kept.
 *
 * <p>Thread-safe.
 */
public final class Repositories {
  private final @Nullable WarmShelf warm;
  private final Map<String, Map<String, MethodRule>> rules;
  private final Map<String, Object> wrapped = new ConcurrentHashMap<>();

  private Repositories(@Nullable WarmShelf warm, Map<String, Map<String, MethodRule>> rules) {
    this.warm = warm;
    this.rules = rules;
  }

  /** Without shelves: what is wrapped is given back as it is. */
  public static Repositories none() {
    return new Repositories(null, Map.of());
  }

  /** By annotations alone. */
  public static Repositories over(WarmShelf warm) {
    return new Repositories(warm, Map.of());
  }

  /**
   * By annotations, and by rules where there are any: a rule for a method replaces what its
   * annotations say.
   *
   * @param rules by the interface's name as {@link Class#getName} has it, and the method's; for all
   *     methods of that name
   */
  public static Repositories over(WarmShelf warm, Map<String, Map<String, MethodRule>> rules) {
    Map<String, Map<String, MethodRule>> copy = new LinkedHashMap<>();
    rules.forEach((type, methods) -> copy.put(type, Map.copyOf(methods)));
    return new Repositories(warm, Map.copyOf(copy));
  }

  /**
   * Wraps an implementation of an interface.
   *
   * @throws IllegalArgumentException if something does not fit, with all that does not
   */
  public <R> R wrap(Class<R> type, R implementation) {
    return wrap(type, implementation, type.getName());
  }

  /**
   * Wraps one of several implementations of an interface.
   *
   * @param name by which its results are told from the others'
   * @throws IllegalArgumentException if something does not fit, with all that does not
   */
  public <R> R wrap(Class<R> type, R implementation, String name) {
    WarmShelf shelves = warm;
    if (shelves == null) {
      return implementation;
    }
    Methods methods =
        Methods.of(
            shelves, type, implementation, name, rules.getOrDefault(type.getName(), Map.of()));
    @Nullable Object other = wrapped.putIfAbsent(name, implementation);
    if (other != null && other != implementation) {
      throw new IllegalArgumentException(
          "Another object is wrapped as '"
              + name
              + "', and their results would be taken for each other's: give each a name.");
    }
    return type.cast(Proxy.newProxyInstance(type.getClassLoader(), new Class<?>[] {type}, methods));
  }
}
