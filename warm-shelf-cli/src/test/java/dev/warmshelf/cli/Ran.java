package dev.warmshelf.cli;

import dev.warmshelf.cli.screen.PlainText;
import java.io.StringWriter;

/** What a command printed, and how it ended. */
record Ran(int exitCode, String out, String err) {
  static Ran of(String... arguments) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    PlainText toOut = new PlainText(out);
    PlainText toErr = new PlainText(err);
    int exitCode = Main.commandLine().setOut(toOut).setErr(toErr).execute(arguments);
    toOut.flush();
    toErr.flush();
    return new Ran(exitCode, out.toString(), err.toString());
  }
}
