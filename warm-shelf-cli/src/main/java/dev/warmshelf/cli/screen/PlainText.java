package dev.warmshelf.cli.screen;

import dev.warmshelf.measure.text.Controls;
import java.io.FilterWriter;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.Writer;

/**
 * What the tool prints is text and nothing else: names, values and statements that others have
 * chosen reach a terminal without its commands. {@linkplain Controls Controls} are written by their
 * numbers as JSON escapes them, so that JSON means what it did.
 *
 * <p>Thread-safe.
 */
public final class PlainText extends PrintWriter {
  private final Writer terminal;

  public PlainText(Writer terminal) {
    super(new Filter(terminal), false);
    this.terminal = terminal;
  }

  /** Sends a terminal a command of our own; never one with a part that is not a constant. */
  public static void control(PrintWriter out, String command) {
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
      if (Controls.isOne((char) c)) {
        out.write(Controls.shown((char) c));
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
        if (Controls.isOne(c) && !endsLine) {
          out.write(text, plain, i - plain);
          write(c);
          plain = i + 1;
        }
      }
      out.write(text, plain, from + count - plain);
    }
  }
}
