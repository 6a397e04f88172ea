package dev.warmshelf.cli;

import java.io.PrintWriter;
import java.io.StringWriter;
import picocli.CommandLine;

/** What a command printed, and how it ended. */
record Ran(int exitCode, String out, String err) {
  static Ran of(String... arguments) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    CommandLine line = Main.commandLine().setOut(new PrintWriter(out)).setErr(new PrintWriter(err));
    int exitCode = line.execute(arguments);
    return new Ran(exitCode, out.toString(), err.toString());
  }
}
