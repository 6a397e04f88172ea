package dev.warmshelf.scenario;

import java.util.ArrayList;
import java.util.List;

/**
 * Other processes of this program: on the same Java, with the same classes, and with the passwords
 * of the servers that this one has started.
 */
public final class OwnJava {
  private OwnJava() {}

  /** One that runs this class, not started yet; what it complains of is shown here. */
  public static ProcessBuilder running(Class<?> main, String... arguments) {
    return running(List.of(), main.getName(), arguments);
  }

  /**
   * The same with options of the {@code java} command.
   *
   * @param options such as {@code -Xmx64m}
   */
  public static ProcessBuilder running(List<String> options, Class<?> main, String... arguments) {
    return running(options, main.getName(), arguments);
  }

  private static ProcessBuilder running(List<String> options, String main, String... arguments) {
    List<String> line = new ArrayList<>();
    line.add(ProcessHandle.current().info().command().orElse("java"));
    line.addAll(options);
    String passwords = System.getProperty(LocalPostgres.PASSWORDS_PROPERTY);
    if (passwords != null) {
      line.add("-D" + LocalPostgres.PASSWORDS_PROPERTY + "=" + passwords);
    }
    line.add("-cp");
    line.add(System.getProperty("java.class.path"));
    line.add(main);
    line.addAll(List.of(arguments));
    return new ProcessBuilder(line).redirectError(ProcessBuilder.Redirect.INHERIT);
  }
}
