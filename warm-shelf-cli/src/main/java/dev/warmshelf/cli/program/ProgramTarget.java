package dev.warmshelf.cli.program;

import dev.warmshelf.cli.screen.Failure;
import java.io.IOException;
import javax.management.MBeanServerConnection;
import javax.management.remote.JMXConnector;
import picocli.CommandLine.Parameters;

/** The running program that a command asks. */
public final class ProgramTarget {
  @Parameters(
      index = "0",
      paramLabel = "PID|HOST:PORT",
      description = "A process of this machine, or where its JMX is.")
  @SuppressWarnings("NullAway.Init") // required
  private String target;

  /** As it was named. */
  public String name() {
    return target;
  }

  /** One that was named otherwise. */
  public static ProgramTarget of(String target) {
    ProgramTarget named = new ProgramTarget();
    named.target = target;
    return named;
  }

  /** Something that is asked. */
  @FunctionalInterface
  public interface Asking<T> {
    T ask(ProgramDesk desk) throws IOException, Failure;
  }

  /** Something that is asked, and looks at the meters. */
  @FunctionalInterface
  public interface Watching<T> {
    T ask(ProgramMeters meters, ProgramDesk desk) throws IOException, Failure;
  }

  /**
   * Connects, and asks.
   *
   * @throws Failure if there is no such program, or it does not answer
   */
  public <T> T ask(Asking<T> asking) throws Failure {
    return ask((meters, desk) -> asking.ask(desk));
  }

  /**
   * The same, with the meters.
   *
   * @throws Failure if there is no such program, or it does not answer
   */
  public <T> T ask(Watching<T> asking) throws Failure {
    try (JMXConnector connector = JavaProgram.connect(target)) {
      MBeanServerConnection server = connector.getMBeanServerConnection();
      return asking.ask(new ProgramMeters(server), new ProgramDesk(server));
    } catch (IOException e) {
      throw new Failure("The program " + target + " has ended, or does not answer any more.", e);
    }
  }
}
