package dev.warmshelf.record;

import dev.warmshelf.shelf.Origin;

/** How a recording writes where an answer came from. */
final class Outcomes {
  private Outcomes() {}

  static String letter(Origin origin) {
    return switch (origin) {
      case KEPT -> "k";
      case REVIVED -> "r";
      case OLD -> "o";
      case LOADED -> "l";
      case MENDED -> "m";
      case JOINED -> "j";
      case SHARED -> "s";
      case DIRECT -> "d";
    };
  }

  static Origin of(String letter) {
    for (Origin origin : Origin.values()) {
      if (letter(origin).equals(letter)) {
        return origin;
      }
    }
    throw new IllegalArgumentException(
        "'" + letter + "' is no outcome; expected k, r, o, l, m, j, s or d");
  }
}
