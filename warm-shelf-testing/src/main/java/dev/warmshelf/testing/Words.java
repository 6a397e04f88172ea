package dev.warmshelf.testing;

/** How sentences say things. */
final class Words {
  private Words() {}

  /** What was expected: to be, say, loaded, so many times. */
  static String be(String how, int times) {
    return times == 0 ? "not be " + how : "be " + how + " " + times(times);
  }

  /** What was found. */
  static String were(String how, int times) {
    return times == 0 ? "were not" : "were " + how + " " + times(times);
  }

  private static String times(int count) {
    return count == 1 ? "once" : count == 2 ? "twice" : count + " times";
  }

  /** On one line, and no longer than so many characters. */
  static String cut(String text, int longest) {
    String line = text.strip().replaceAll("\\s+", " ");
    return line.length() <= longest ? line : line.substring(0, longest - 1) + "…";
  }
}
