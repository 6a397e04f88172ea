package dev.warmshelf.http;

import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;

/**
 * Makes questions of requests: a path and a query string in normal form, and chosen headers. Such a
 * text is an input of a computation, or the name of a value of the program's own.
 *
 * <p>Normal form is that of RFC 3986, section 6.2.2: percent-encoded octets in capitals, those of
 * unreserved characters decoded, dot segments removed. The parameters of the query are put in order
 * of their names; those of one name keep their order, which can matter. A plus sign stays one.
 *
 * <p>Immutable.
 */
public final class RequestRecipe {
  private static final RequestRecipe PLAIN = new RequestRecipe(Set.of(), Set.of());

  private final Set<String> leftOut;
  private final Set<String> headers;

  private RequestRecipe(Collection<String> leftOut, Collection<String> headers) {
    this.leftOut = Set.copyOf(leftOut);
    this.headers = Set.copyOf(headers);
  }

  /** All parameters count, no header does. */
  public static RequestRecipe plain() {
    return PLAIN;
  }

  /** Parameters that do not change the answer, such as a session token. */
  public RequestRecipe leavingOut(String... parameters) {
    Set<String> names = new TreeSet<>(leftOut);
    names.addAll(List.of(parameters));
    return new RequestRecipe(names, headers);
  }

  /**
   * Headers that change the answer, such as {@code Accept-Language}; letter case does not matter.
   */
  public RequestRecipe withHeaders(String... names) {
    Set<String> all = new TreeSet<>(headers);
    for (String name : names) {
      all.add(name.toLowerCase(Locale.ROOT));
    }
    return new RequestRecipe(leftOut, all);
  }

  /**
   * A request in normal form: the same text for two that ask the same, another one for any other.
   *
   * @param target a path and perhaps a query string, as a request line has it
   * @param requestHeaders all of the request's headers; only the chosen ones count
   * @return the path, the parameters, and the chosen headers on lines of their own
   * @throws IllegalArgumentException if the target does not begin with a slash, or has a percent
   *     sign that two hexadecimal digits do not follow
   */
  public String question(String target, Map<String, List<String>> requestHeaders) {
    int question = target.indexOf('?');
    String path = question < 0 ? target : target.substring(0, question);
    if (!path.startsWith("/")) {
      throw new IllegalArgumentException(
          "A request's target begins with a slash, but this is '" + target + "'.");
    }
    String parameters = question < 0 ? "" : parameters(target.substring(question + 1));
    return onOneLine(withoutDotSegments(normal(path)))
        + (parameters.isEmpty() ? "" : "?" + onOneLine(parameters))
        + headers(requestHeaders);
  }

  /** In order of their names. A name without an equals sign is not one with an empty value. */
  private String parameters(String query) {
    TreeMap<String, List<String>> byName = new TreeMap<>();
    for (String part : query.split("&", -1)) {
      if (!part.isEmpty()) {
        int equals = part.indexOf('=');
        String name = normal(equals < 0 ? part : part.substring(0, equals));
        if (!leftOut.contains(name)) {
          String value = equals < 0 ? "" : "=" + normal(part.substring(equals + 1));
          byName.computeIfAbsent(name, n -> new ArrayList<>()).add(name + value);
        }
      }
    }
    return byName.values().stream().flatMap(List::stream).collect(Collectors.joining("&"));
  }

  private String headers(Map<String, List<String>> requestHeaders) {
    TreeMap<String, List<String>> chosen = new TreeMap<>();
    requestHeaders.forEach(
        (name, values) -> {
          String folded = name.toLowerCase(Locale.ROOT);
          if (headers.contains(folded)) {
            chosen.computeIfAbsent(folded, n -> new ArrayList<>()).addAll(values);
          }
        });
    StringBuilder lines = new StringBuilder();
    chosen.forEach(
        (name, values) ->
            values.forEach(value -> lines.append("\n" + name + ": ").append(onOneLine(value))));
    return lines.toString();
  }

  private static String onOneLine(String text) {
    return text.replace("\\", "\\\\").replace("\n", "\\n");
  }

  /** RFC 3986, 6.2.2.1 and 6.2.2.2. */
  private static String normal(String text) {
    StringBuilder out = new StringBuilder(text.length());
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c != '%') {
        out.append(c);
        continue;
      }
      boolean whole = i + 2 < text.length();
      int high = whole ? Character.digit(text.charAt(i + 1), 16) : -1;
      int low = whole ? Character.digit(text.charAt(i + 2), 16) : -1;
      if (high < 0 || low < 0) {
        throw new IllegalArgumentException(
            "The percent sign at index " + i + " of '" + text + "' encodes nothing.");
      }
      char octet = (char) (16 * high + low);
      if (isUnreserved(octet)) {
        out.append(octet);
      } else {
        out.append('%').append(String.format("%02X", (int) octet));
      }
      i += 2;
    }
    return out.toString();
  }

  private static boolean isUnreserved(char c) {
    return (c >= 'a' && c <= 'z')
        || (c >= 'A' && c <= 'Z')
        || (c >= '0' && c <= '9')
        || "-._~".indexOf(c) >= 0;
  }

  /** RFC 3986, 5.2.4. */
  private static String withoutDotSegments(String path) {
    List<String> kept = new ArrayList<>();
    String[] segments = path.substring(1).split("/", -1);
    for (int i = 0; i < segments.length; i++) {
      boolean last = i == segments.length - 1;
      if (segments[i].equals("..")) {
        if (!kept.isEmpty()) {
          kept.remove(kept.size() - 1);
        }
      } else if (!segments[i].equals(".")) {
        kept.add(segments[i]);
        continue;
      }
      if (last) {
        kept.add("");
      }
    }
    return "/" + String.join("/", kept);
  }
}
