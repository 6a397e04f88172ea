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
    return switch (letter) {
      case "k" -> Origin.KEPT;
      case "r" -> Origin.REVIVED;
      case "o" -> Origin.OLD;
      case "l" -> Origin.LOADED;
      case "m" -> Origin.MENDED;
      case "j" -> Origin.JOINED;
      case "s" -> Origin.SHARED;
      case "d" -> Origin.DIRECT;
      default ->
          throw new IllegalArgumentException(
              "'" + letter + "' is no outcome; expected k, r, o, l, m, j, s or d");
    };
  }
}
