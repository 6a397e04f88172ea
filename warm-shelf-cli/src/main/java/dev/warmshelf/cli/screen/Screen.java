package dev.warmshelf.cli.screen;

import java.io.PrintWriter;

/**
 * Progress for somebody who waits. On a terminal a status overwrites the one before; elsewhere only
 * whole lines are printed, so that logs stay readable.
 */
public final class Screen {
  private static final String CLEAR_LINE = "\r\u001b[K";

  private final PrintWriter out;
  private final boolean terminal = Terminal.console() != null;
  private boolean statusShown;

  public Screen(PrintWriter out) {
    this.out = out;
  }

  public void line(String text) {
    clear();
    out.println(text);
    out.flush();
  }

  /** Begins a numbered section. */
  public void heading(int number, String title) {
    line("");
    line(number + "  " + title);
  }

  /** Shows a passing state; nothing is shown where it could not be taken back. */
  public void status(String text) {
    if (terminal) {
      PlainText.control(out, CLEAR_LINE);
      out.print(text);
      out.flush();
      statusShown = true;
    }
  }

  /** Takes the last status back. */
  public void clear() {
    if (statusShown) {
      PlainText.control(out, CLEAR_LINE);
      out.flush();
      statusShown = false;
    }
  }
}
