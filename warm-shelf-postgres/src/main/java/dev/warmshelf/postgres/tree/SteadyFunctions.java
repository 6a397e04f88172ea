package dev.warmshelf.postgres.tree;

import java.util.HashSet;
import java.util.Set;

/** The server's functions that are steadier than it says, by signature; from {@code steady.txt}. */
final class SteadyFunctions {
  private static final Set<String> SIGNATURES = new HashSet<>(Grammar.lines("steady.txt"));

  private SteadyFunctions() {}

  /**
   * @param signature name and argument types, as {@code oidvectortypes} writes them
   */
  static boolean contains(String signature) {
    return SIGNATURES.contains(signature);
  }
}
