package dev.warmshelf.measure.text;

import java.util.regex.Pattern;

/** What is printed to be pasted into a POSIX shell. */
public final class ShellText {
  /** Means itself wherever it stands (POSIX.1-2017, Shell Command Language, 2.2). */
  private static final Pattern PLAIN =
      Pattern.compile("[A-Za-z0-9_@%+:,./-][A-Za-z0-9_@%+=:,./-]*");

  private ShellText() {}

  /** One word of a command that means this text. */
  public static String quoted(String text) {
    return PLAIN.matcher(text).matches() ? text : "'" + text.replace("'", "'\\''") + "'";
  }
}
