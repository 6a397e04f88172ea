package dev.warmshelf.cli.program;

import com.sun.tools.attach.AttachNotSupportedException;
import com.sun.tools.attach.VirtualMachine;
import com.sun.tools.attach.VirtualMachineDescriptor;
import dev.warmshelf.cli.screen.Failure;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Optional;
import java.util.stream.Stream;
import javax.management.remote.JMXConnector;
import javax.management.remote.JMXConnectorFactory;
import javax.management.remote.JMXServiceURL;

/**
 * A running Java program, to be asked over JMX.
 *
 * <p>To attach to a process means to send it a signal, which ends a program that is no Java virtual
 * machine (SIGQUIT, see the attach API's implementation in the JDK). So it is found out first what
 * the process is, and whose.
 */
final class JavaProgram {
  private JavaProgram() {}

  /**
   * Connects.
   *
   * @param target a process id, or HOST:PORT of its JMX
   * @throws Failure if there is no such program, or it is not this user's
   */
  @SuppressWarnings("BanJNDI") // whoever runs the command says which program to trust
  static JMXConnector connect(String target) throws Failure {
    if (target.matches("[0-9]{1,18}")) {
      return attach(Long.parseLong(target));
    } else if (!target.matches(".+:[0-9]+")) {
      throw new Failure("'" + target + "' is neither a process id nor HOST:PORT.");
    }
    try {
      return JMXConnectorFactory.connect(
          new JMXServiceURL("service:jmx:rmi:///jndi/rmi://" + target + "/jmxrmi"));
    } catch (IOException | SecurityException e) {
      throw new Failure(
          "No program answers at "
              + target
              + ". Was it started with a JMX port (com.sun.management.jmxremote.port)?",
          e);
    }
  }

  @SuppressWarnings("BanJNDI") // the address comes from a program of this user
  private static JMXConnector attach(long pid) throws Failure {
    requireOwnJava(pid);
    try {
      VirtualMachine machine = VirtualMachine.attach(Long.toString(pid));
      try {
        return JMXConnectorFactory.connect(new JMXServiceURL(machine.startLocalManagementAgent()));
      } finally {
        machine.detach();
      }
    } catch (AttachNotSupportedException | IOException e) {
      throw new Failure(
          "Process " + pid + " cannot be asked: it has ended, or allows nobody to attach to it.",
          e);
    }
  }

  private static void requireOwnJava(long pid) throws Failure {
    ProcessHandle process =
        ProcessHandle.of(pid)
            .filter(ProcessHandle::isAlive)
            .orElseThrow(() -> new Failure("There is no process " + pid + "."));
    String me = System.getProperty("user.name");
    String user = process.info().user().orElse(me);
    if (!user.equals(me)) {
      throw new Failure(
          "Process "
              + pid
              + " is "
              + user
              + "'s; only programs of your own can be asked. Start it with a JMX port, and give"
              + " HOST:PORT.");
    }
    if (!isListed(pid) && !hasJavaInMemory(pid)) {
      String what =
          process.info().command().map(path -> " (" + Path.of(path).getFileName() + ")").orElse("");
      throw new Failure("Process " + pid + what + " is no Java program.");
    }
  }

  /** By the attach API's own list, which a program can keep itself out of. */
  private static boolean isListed(long pid) {
    return VirtualMachine.list().stream()
        .map(VirtualMachineDescriptor::id)
        .anyMatch(Long.toString(pid)::equals);
  }

  /** Whether the virtual machine's library is mapped, where the system tells (proc(5)). */
  private static boolean hasJavaInMemory(long pid) {
    try (Stream<String> maps = Files.lines(Path.of("/proc", Long.toString(pid), "maps"))) {
      Optional<String> library = maps.filter(line -> line.endsWith("/libjvm.so")).findFirst();
      return library.isPresent();
    } catch (IOException | java.io.UncheckedIOException e) {
      return false;
    }
  }
}
