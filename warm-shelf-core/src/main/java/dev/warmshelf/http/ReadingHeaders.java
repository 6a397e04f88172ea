package dev.warmshelf.http;

import dev.warmshelf.key.Key;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * What a reading says, as values of HTTP response headers. No HTTP is spoken here: set them on
 * whatever response there is.
 */
public final class ReadingHeaders {
  /** RFC 9211. */
  public static final String CACHE_STATUS = "Cache-Status";

  /** RFC 9111, section 5.1. */
  public static final String AGE = "Age";

  /** RFC 9110, section 8.8.3. */
  public static final String ETAG = "ETag";

  /** RFC 9110, section 13.1.2. */
  public static final String IF_NONE_MATCH = "If-None-Match";

  private static final int TAG_DIGITS = 32;
  private static final Pattern TAG = Pattern.compile("(?:W/)?\"[\\x21\\x23-\\x7e\\x80-\\xff]*\"");

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

  /**
   * The value of {@code ETag}: a weak one, since only the answer is known, and not every byte of
   * what is made of it. Empty if nothing is kept of the answer.
   *
   * @param rendering what else decides what is sent, such as a format and its version
   */
  public static Optional<String> entityTag(Reading<?> reading, String rendering) {
    return reading
        .version()
        .map(version -> Key.named(rendering, version).digest().substring(0, TAG_DIGITS))
        .map(digest -> "W/\"" + digest + "\"");
  }

  /**
   * Whether a client has what would be sent, so that status 304 without a body answers a {@code
   * GET}: whether an entity tag is among those of {@code If-None-Match}, by the weak comparison, or
   * that is {@code *} (RFC 9110, sections 13.1.2 and 8.8.3.2).
   *
   * @param ifNoneMatch the header's values, as the request has them
   * @param entityTag as {@link #entityTag} gives it
   */
  public static boolean isUnchanged(List<String> ifNoneMatch, String entityTag) {
    String mine = opaque(entityTag);
    for (String value : ifNoneMatch) {
      if (value.strip().equals("*")) {
        return true;
      }
      Matcher tags = TAG.matcher(value);
      while (tags.find()) {
        if (opaque(tags.group()).equals(mine)) {
          return true;
        }
      }
    }
    return false;
  }

  private static String opaque(String tag) {
    return tag.startsWith("W/") ? tag.substring(2) : tag;
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
