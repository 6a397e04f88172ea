package dev.warmshelf.measure.text;

/**
 * Characters that are commands to whatever shows a text: controls of C0 and C1 (ECMA-48) other than
 * the end of a line and the tab, and those that turn the direction of writing (Unicode Standard
 * Annex 9).
 */
public final class Controls {
  private Controls() {}

  /** Whether a character is one. */
  public static boolean isOne(char c) {
    if (Character.isISOControl(c)) {
      return c != '\n' && c != '\t';
    }
    return c == '\u061c'
        || c == '\u200e'
        || c == '\u200f'
        || (c >= '\u202a' && c <= '\u202e')
        || (c >= '\u2066' && c <= '\u2069');
  }

  /** A character by its number, as JSON escapes it (RFC 8259, section 7), and YAML in quotes. */
  public static String shown(char c) {
    return "\\u%04x".formatted(c & 0xffff);
  }

  /** A text for one line of many: what would end the line, or a column, is shown by its number. */
  public static String inOneLine(String text) {
    StringBuilder line = new StringBuilder();
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      line.append(isOne(c) || c == '\n' || c == '\t' ? shown(c) : String.valueOf(c));
    }
    return line.toString();
  }
}
