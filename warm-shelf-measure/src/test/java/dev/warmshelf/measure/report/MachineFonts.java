package dev.warmshelf.measure.report;

import java.awt.Font;

/** Whether this machine has fonts, without which nothing can be drawn. */
public final class MachineFonts {
  private MachineFonts() {}

  public static boolean present() {
    try {
      return new Font(Font.SANS_SERIF, Font.PLAIN, 12).canDisplay('x');
    } catch (LinkageError | InternalError e) {
      return false;
    }
  }
}
