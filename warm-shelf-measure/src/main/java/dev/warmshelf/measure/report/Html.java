package dev.warmshelf.measure.report;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Pages that need nothing beside them. */
final class Html {
  private static final Pattern PLACE = Pattern.compile("\\{\\{(\\w+)}}");

  private Html() {}

  static String escaped(String text) {
    return text.replace("&", "&amp;")
        .replace("<", "&lt;")
        .replace(">", "&gt;")
        .replace("\"", "&quot;");
  }

  /** A template of this package with its places filled. */
  static String filled(String template, Map<String, String> parts) throws IOException {
    try (InputStream in = Html.class.getResourceAsStream(template)) {
      String text =
          new String(
              Objects.requireNonNull(in, "the page is missing from the build").readAllBytes(),
              StandardCharsets.UTF_8);
      return PLACE
          .matcher(text)
          .replaceAll(
              found -> Matcher.quoteReplacement(Objects.requireNonNull(parts.get(found.group(1)))));
    }
  }

  /**
   * Writes a whole page.
   *
   * @throws IOException if it cannot be written
   */
  static void write(Path file, String title, String body) throws IOException {
    Map<String, String> parts =
        Map.of("title", escaped(title), "light", Inks.light(), "dark", Inks.dark(), "body", body);
    Files.writeString(file, filled("page.html", parts));
  }

  /** Escaped, with no line broken between a number and its unit. */
  static String sentence(String text) {
    return bound(escaped(text));
  }

  /** Of HTML, the same. */
  static String bound(String html) {
    return html.replaceAll("(\\d) (ns|µs|ms|s|%)(?!\\w)", "$1&nbsp;$2");
  }

  /** A table whose first column is words. */
  static String table(String caption, List<String> head, List<List<String>> rows) {
    StringBuilder out =
        new StringBuilder(
            "<div class=\"scroll\"><table class=\"queries wraps\"><caption>" + escaped(caption));
    out.append("</caption><thead><tr>");
    head.forEach(cell -> out.append("<th scope=\"col\">").append(escaped(cell)).append("</th>"));
    out.append("</tr></thead><tbody>");
    for (List<String> row : rows) {
      out.append("<tr>");
      row.forEach(cell -> out.append("<td>").append(escaped(cell)).append("</td>"));
      out.append("</tr>\n");
    }
    return out.append("</tbody></table></div>").toString();
  }
}
