package dev.warmshelf.cli.command;

import dev.warmshelf.measure.run.Sharers;
import dev.warmshelf.scenario.OwnJava;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.spi.store.SharedStore;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import javax.sql.DataSource;

/**
 * The processes of {@code shelf measure --ways shared}: the same command with the same arguments,
 * and with one that makes it a reader. The password is in their environment.
 */
final class SharingProcesses implements Sharers {
  static final String OPTION = "--reads-for";

  /** One to read, one to follow, one to look at the catalogue; the store's. */
  static final int CONNECTIONS = 6;

  private final Class<?> tool;
  private final DataSource pool;
  private final Map<String, String> environment;
  private final List<String> arguments;

  /**
   * @param tool whose {@code main} each of them runs
   * @param pool with {@link #CONNECTIONS} for this process
   * @param arguments of the command that compares
   */
  SharingProcesses(
      Class<?> tool, DataSource pool, Map<String, String> environment, List<String> arguments) {
    this.tool = tool;
    this.pool = pool;
    this.environment = Map.copyOf(environment);
    this.arguments = List.copyOf(arguments);
  }

  @Override
  public SharedStore store() {
    return PostgresStore.on(pool).reading(1);
  }

  @Override
  public Process start(int number, String name) throws IOException {
    List<String> line = new ArrayList<>(arguments);
    line.addAll(List.of(OPTION, Integer.toString(number), name));
    ProcessBuilder process = OwnJava.running(tool, line.toArray(new String[0]));
    process.environment().putAll(environment);
    return process.start();
  }
}
