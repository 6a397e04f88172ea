package dev.warmshelf.cli;

import java.io.FilterWriter;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.Writer;

/**
 * What the tool prints is text and nothing else: names, values and statements that others have
 * chosen reach a terminal without its commands. Controls of C0 and C1 (ECMA-48) other than the end
 * of a line and the tab, and those that turn the direction of writing (Unicode Standard Annex 9),
 * are written by their numbers as JSON escapes them (RFC 8259, section 7), so that JSON means what
 * it did.
 *
 * <p>Thread-safe.
 */
final class PlainText extends PrintWriter {
  private final Writer terminal;

  PlainText(Writer terminal) {
    super(new Filter(terminal), false);
    this.terminal = terminal;
  }

  /** Sends a terminal a command of our own; never one with a part that is not a constant. */
  static void control(PrintWriter out, String command) {
    if (!(out instanceof PlainText plain)) {
      out.print(command);
      return;
    }
    synchronized (plain.lock) {
      plain.flush();
      try {
        plain.terminal.write(command);
      } catch (IOException e) {
        plain.setError();
      }
    }
  }

  private static final class Filter extends FilterWriter {
    Filter(Writer to) {
      super(to);
    }

    @Override
    public void write(int c) throws IOException {
      if (isShown((char) c)) {
        out.write("\\u%04x".formatted(c & 0xffff));
      } else {
        out.write(c);
      }
    }

    @Override
    public void write(char[] text, int from, int count) throws IOException {
      write(new String(text, from, count), 0, count);
    }

    @Override
    public void write(String text, int from, int count) throws IOException {
      int plain = from;
      for (int i = from; i < from + count; i++) {
        char c = text.charAt(i);
        boolean endsLine = c == '\r' && i + 1 < from + count && text.charAt(i + 1) == '\n';
        if (isShown(c) && !endsLine) {
          out.write(text, plain, i - plain);
          write(c);
          plain = i + 1;
        }
      }
      out.write(text, plain, from + count - plain);
    }
  }

  /** Whether a character is shown by its number rather than sent. */
  private static boolean isShown(char c) {
    if (Character.isISOControl(c)) {
      return c != '\n' && c != '\t';
    }
    return c == '\u061c'
        || c == '\u200e'
        || c == '\u200f'
        || (c >= '\u202a' && c <= '\u202e')
        || (c >= '\u2066' && c <= '\u2069');
  }
}
