package dev.warmshelf.cli.screen;

import java.io.Console;
import org.jspecify.annotations.Nullable;

/** Whether a person sits in front of us. */
public final class Terminal {
  private Terminal() {}

  /** The console, or null if input or output is not a terminal. */
  @SuppressWarnings("SystemConsoleNull") // what newer JDKs say instead is asked below
  public static @Nullable Console console() {
    Console console = System.console();
    if (console == null) {
      return null;
    }
    try {
      // From JDK 22 on there is always a console, and this tells whether it is a terminal.
      return (boolean) Console.class.getMethod("isTerminal").invoke(console) ? console : null;
    } catch (NoSuchMethodException e) {
      return console;
    } catch (ReflectiveOperationException e) {
      return null;
    }
  }
}
