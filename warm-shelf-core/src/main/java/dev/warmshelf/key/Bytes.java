package dev.warmshelf.key;

/** Numbers and bytes into an array, the highest byte first; each gives where it ends. */
final class Bytes {
  /** How many bytes a length takes. */
  static final int COUNT = Integer.BYTES;

  private Bytes() {}

  static int putInt(byte[] to, int at, int value) {
    to[at] = (byte) (value >>> 24);
    to[at + 1] = (byte) (value >>> 16);
    to[at + 2] = (byte) (value >>> 8);
    to[at + 3] = (byte) value;
    return at + Integer.BYTES;
  }

  static int putLong(byte[] to, int at, long value) {
    return putInt(to, putInt(to, at, (int) (value >>> 32)), (int) value);
  }

  static int putLong(byte[] to, int at, char kind, long value) {
    to[at] = (byte) kind;
    return putLong(to, at + 1, value);
  }

  static int put(byte[] to, int at, char kind, byte[] content) {
    to[at] = (byte) kind;
    int from = putInt(to, at + 1, content.length);
    System.arraycopy(content, 0, to, from, content.length);
    return from + content.length;
  }
}
