package dev.warmshelf.key;

/** Text as bytes (RFC 3629), straight into an array. */
final class Utf8 {
  private Utf8() {}

  /** RFC 3629, section 3. Unpaired surrogates have no encoding there, so they are refused. */
  static int length(String name, String text) {
    int length = text.length();
    int size = length;
    for (int i = 0; i < length; i++) {
      char c = text.charAt(i);
      if (c >= 0x80) {
        if (c < 0x800) {
          size++;
        } else if (Character.isSurrogate(c)) {
          if (!Character.isHighSurrogate(c)
              || i + 1 == length
              || !Character.isLowSurrogate(text.charAt(i + 1))) {
            throw new UnsupportedValueException(
                name, "holds half of a surrogate pair at index " + i + ", which is no character.");
          }
          size += 2;
          i++;
        } else {
          size += 2;
        }
      }
    }
    return size;
  }

  static int write(byte[] bytes, int start, String text) {
    int at = start;
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (c < 0x80) {
        bytes[at++] = (byte) c;
      } else if (c < 0x800) {
        bytes[at++] = (byte) (0xc0 | (c >> 6));
        bytes[at++] = (byte) (0x80 | (c & 0x3f));
      } else if (Character.isSurrogate(c)) {
        int point = Character.toCodePoint(c, text.charAt(++i));
        bytes[at++] = (byte) (0xf0 | (point >> 18));
        bytes[at++] = (byte) (0x80 | ((point >> 12) & 0x3f));
        bytes[at++] = (byte) (0x80 | ((point >> 6) & 0x3f));
        bytes[at++] = (byte) (0x80 | (point & 0x3f));
      } else {
        bytes[at++] = (byte) (0xe0 | (c >> 12));
        bytes[at++] = (byte) (0x80 | ((c >> 6) & 0x3f));
        bytes[at++] = (byte) (0x80 | (c & 0x3f));
      }
    }
    return at;
  }
}
