package dev.warmshelf.cli;

import dev.warmshelf.scenario.LocalPostgres;
import java.util.ArrayList;
import java.util.List;

/** Other processes of this program: on the same Java, with the same classes. */
final class OwnJava {
  private OwnJava() {}

  /** One that runs this class, not started yet; what it complains of is shown here. */
  static ProcessBuilder running(Class<?> main, List<String> arguments) {
    List<String> line = new ArrayList<>();
    line.add(ProcessHandle.current().info().command().orElse("java"));
    line.add(LocalPostgres.optionForPrograms());
    line.add("-cp");
    line.add(System.getProperty("java.class.path"));
    line.add(main.getName());
    line.addAll(arguments);
    return new ProcessBuilder(line).redirectError(ProcessBuilder.Redirect.INHERIT);
  }
}
