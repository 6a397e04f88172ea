package dev.warmshelf.http;

import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.util.Optional;

/**
 * What a reading says, as values of HTTP response headers. No HTTP is spoken here: set them on
 * whatever response there is.
 */
public final class ReadingHeaders {
  /** RFC 9211. */
  public static final String CACHE_STATUS = "Cache-Status";

  /** RFC 9111, section 5.1. */
  public static final String AGE = "Age";

  private ReadingHeaders() {}

  /**
   * A member of {@code Cache-Status} (RFC 9211, section 2): {@code Departures; hit; ttl=512},
   * {@code fwd=miss}, with {@code collapsed} for a caller that waited for another's load, or {@code
   * fwd=bypass} with the reason as {@code detail}.
   *
   * @param name what this cache is called in the header: a token, or else it is quoted
   */
  public static String cacheStatus(String name, Reading<?> reading) {
    String cache = isToken(name) ? name : quoted(name);
    Origin origin = reading.origin();
    return switch (origin) {
      case KEPT -> hit(cache, reading);
      case REVIVED -> hit(cache, reading) + "; detail=revived";
      case OLD -> hit(cache, reading) + "; detail=old";
      case SHARED -> hit(cache, reading) + "; detail=shared";
      case LOADED -> cache + "; fwd=miss";
      case MENDED -> cache + "; fwd=stale; detail=mended";
      case JOINED -> cache + "; fwd=miss; collapsed";
      case DIRECT ->
          cache
              + "; fwd=bypass"
              + reading.bypass().map(why -> "; detail=" + quoted(why)).orElse("");
    };
  }

  private static String hit(String cache, Reading<?> reading) {
    return cache
        + "; hit"
        + reading.remainingTtl().map(ttl -> "; ttl=" + ttl.toSeconds()).orElse("");
  }

  /**
   * The value of {@code Age}: how many whole seconds ago the answer was read from the database, if
   * it was kept; empty otherwise, since a fresh response needs none.
   */
  public static Optional<String> age(Reading<?> reading) {
    return reading.origin().isHit()
        ? Optional.of(Long.toString(reading.age().toSeconds()))
        : Optional.empty();
  }

  /** A token of RFC 8941, section 3.3.4. */
  private static boolean isToken(String text) {
    return text.matches("[A-Za-z*][A-Za-z0-9!#$%&'*+.^_`|~:/-]*");
  }

  /** A string of RFC 8941, section 3.3.3: printable ASCII; what else there is becomes a blank. */
  private static String quoted(String text) {
    StringBuilder out = new StringBuilder("\"");
    text.chars()
        .forEach(
            c -> {
              if (c == '"' || c == '\\') {
                out.append('\\');
              }
              out.append(c >= 0x20 && c < 0x7f ? (char) c : ' ');
            });
    return out.append('"').toString();
  }
}
