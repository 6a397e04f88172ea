package dev.warmshelf.scenario;

import java.util.HashSet;
import java.util.Locale;
import java.util.Set;
import java.util.SplittableRandom;

/** Names made of syllables, each different from the ones before. No real place or person. */
final class Names {
  private static final String[] STARTS = {
    "Bra", "Skol", "Ven", "Tor", "Hel", "Mar", "Fjor", "Dun", "Kel", "Lyn", "Or", "Sten", "Ul",
    "Gry"
  };
  private static final String[] MIDDLES = {"a", "e", "o", "in", "ar", "und", "is", "al"};
  private static final String[] ENDS = {"vik", "holm", "sund", "ness", "ay", "dal", "mo", "strand"};

  private final SplittableRandom random;
  private final Set<String> given = new HashSet<>();

  Names(long seed) {
    random = new SplittableRandom(seed);
  }

  String next() {
    String name;
    do {
      name = pick(STARTS) + pick(MIDDLES) + pick(ENDS);
    } while (!given.add(name));
    return name;
  }

  /** Three capitals from the name, different from those given before. */
  String codeOf(String name) {
    String letters = name.toUpperCase(Locale.ROOT);
    for (int i = 1; i < letters.length(); i++) {
      for (int j = i + 1; j < letters.length(); j++) {
        String code = "" + letters.charAt(0) + letters.charAt(i) + letters.charAt(j);
        if (given.add(code)) {
          return code;
        }
      }
    }
    throw new IllegalStateException("No code is left for the port " + name + ".");
  }

  private String pick(String[] from) {
    return from[random.nextInt(from.length)];
  }
}
