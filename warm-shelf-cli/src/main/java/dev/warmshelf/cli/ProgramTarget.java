package dev.warmshelf.cli;

import java.io.IOException;
import javax.management.remote.JMXConnector;
import picocli.CommandLine.Parameters;

/** The running program that a command asks. */
final class ProgramTarget {
  @Parameters(
      index = "0",
      paramLabel = "PID|HOST:PORT",
      description = "A process of this machine, or where its JMX is.")
  @SuppressWarnings("NullAway.Init") // required
  private String target;

  /** One that was named otherwise. */
  static ProgramTarget of(String target) {
    ProgramTarget named = new ProgramTarget();
    named.target = target;
    return named;
  }

  /** Something that is asked. */
  @FunctionalInterface
  interface Asking<T> {
    T ask(ProgramDesk desk) throws IOException, Failure;
  }

  /**
   * Connects, and asks.
   *
   * @throws Failure if there is no such program, or it does not answer
   */
  <T> T ask(Asking<T> asking) throws Failure {
    try (JMXConnector connector = JavaProgram.connect(target)) {
      return asking.ask(new ProgramDesk(connector.getMBeanServerConnection()));
    } catch (IOException e) {
      throw new Failure("The program " + target + " has ended, or does not answer any more.", e);
    }
  }
}
