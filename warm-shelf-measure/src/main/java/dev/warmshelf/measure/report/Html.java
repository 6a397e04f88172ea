package dev.warmshelf.measure.report;

/** Text in HTML. */
final class Html {
  private Html() {}

  static String escaped(String text) {
    return text.replace("&", "&amp;")
        .replace("<", "&lt;")
        .replace(">", "&gt;")
        .replace("\"", "&quot;");
  }
}
