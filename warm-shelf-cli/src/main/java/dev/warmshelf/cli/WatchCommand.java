package dev.warmshelf.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.sun.tools.attach.AttachNotSupportedException;
import com.sun.tools.attach.VirtualMachine;
import dev.warmshelf.jmx.FeedMXBean;
import dev.warmshelf.jmx.JmxBeans;
import dev.warmshelf.jmx.ShelfMXBean;
import java.io.IOException;
import java.io.PrintWriter;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import javax.management.JMException;
import javax.management.JMX;
import javax.management.MBeanServerConnection;
import javax.management.ObjectName;
import javax.management.remote.JMXConnector;
import javax.management.remote.JMXConnectorFactory;
import javax.management.remote.JMXServiceURL;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

/** {@code shelf watch}: a running program's meters, live. */
@Command(
    name = "watch",
    mixinStandardHelpOptions = true,
    description = {
      "Shows the meters of a running program that uses Warm Shelf.",
      "On a terminal as a table that is renewed, elsewhere as a line for each shelf and interval."
    },
    footer = {
      "",
      "The program needs no preparation if it runs on this machine and as the same user; 'jps' tells",
      "process ids. From elsewhere, start it with a JMX port and give HOST:PORT.",
      "",
      "Example:",
      "  shelf watch 12345 --interval 2"
    })
final class WatchCommand implements Callable<Integer> {
  private static final String HOME_AND_CLEAR = "\u001b[H\u001b[2J";

  @Spec
  @SuppressWarnings("NullAway.Init") // set by the argument parser
  private CommandSpec spec;

  @Parameters(
      index = "0",
      paramLabel = "PID|HOST:PORT",
      description = "A process of this machine, or where its JMX is.")
  @SuppressWarnings("NullAway.Init") // required
  private String target;

  @Option(
      names = "--interval",
      paramLabel = "N",
      description = "Seconds between two looks. Default: ${DEFAULT-VALUE}.")
  private int interval = 1;

  @Option(names = "--times", paramLabel = "N", description = "End after so many looks.")
  private long times = Long.MAX_VALUE;

  @Option(names = "--json", description = "Print one JSON object a look.")
  private boolean json;

  private final CountDownLatch stopped = new CountDownLatch(1);

  @Override
  public Integer call() throws Exception {
    MeasureCommand.requireAtLeast("--interval", interval, 1);
    boolean terminal = Terminal.console() != null && !json;
    PrintWriter out = spec.commandLine().getOut();
    try (JMXConnector connector = connect();
        Interrupts ignored = Interrupts.first(stopped::countDown)) {
      MBeanServerConnection server = connector.getMBeanServerConnection();
      Look before = look(server);
      for (long left = times; left > 0; left--) {
        if (stopped.await(interval, TimeUnit.SECONDS)) {
          break;
        }
        Look now = look(server);
        WatchReport report = new WatchReport(target, before, now);
        if (json) {
          out.println(asJson(report));
        } else if (terminal) {
          out.print(HOME_AND_CLEAR);
          report.table().forEach(out::println);
        } else {
          report.lines().forEach(out::println);
        }
        out.flush();
        before = now;
      }
    } catch (IOException e) {
      throw new Failure("The program '" + target + "' cannot be asked: " + e.getMessage(), e);
    }
    return 0;
  }

  private static String asJson(WatchReport report) throws JsonProcessingException {
    return new ObjectMapper().writeValueAsString(report.fields());
  }

  @SuppressWarnings("BanJNDI") // whoever runs the command says which program to trust
  private JMXConnector connect() throws Failure, IOException {
    if (target.matches("[0-9]+")) {
      try {
        VirtualMachine machine = VirtualMachine.attach(target);
        try {
          return JMXConnectorFactory.connect(
              new JMXServiceURL(machine.startLocalManagementAgent()));
        } finally {
          machine.detach();
        }
      } catch (AttachNotSupportedException | IOException e) {
        throw new Failure(
            "There is no Java program of yours with process id " + target + ": " + e.getMessage(),
            e);
      }
    } else if (target.matches(".+:[0-9]+")) {
      return JMXConnectorFactory.connect(
          new JMXServiceURL("service:jmx:rmi:///jndi/rmi://" + target + "/jmxrmi"));
    }
    throw new Failure("'" + target + "' is neither a process id nor HOST:PORT.");
  }

  /**
   * What the program showed at a moment.
   *
   * @param feeds by the part of the program, as are the shelves
   */
  record Look(long nanos, Map<String, Counts> shelves, Map<String, FeedState> feeds) {}

  /** One shelf's meters at a moment, read once. */
  record Counts(
      String name,
      int size,
      long bytes,
      long savedNanos,
      long hits,
      long misses,
      long joined,
      long bypassed,
      long fills,
      long invalidated,
      long needless,
      long wasted,
      long hitNanos,
      long loadNanos,
      long agreed,
      long late,
      long never) {
    static Counts of(ShelfMXBean view) {
      return new Counts(
          view.getName(),
          view.getSize(),
          view.getBytes(),
          view.getTimeSavedNanos(),
          view.getHits(),
          view.getMisses(),
          view.getJoined(),
          view.getBypassed(),
          view.getFills(),
          view.getInvalidated(),
          view.getNeedless(),
          view.getWasted(),
          view.getHitP50Nanos(),
          view.getLoadP50Nanos(),
          view.getAuditsAgreed(),
          view.getAuditsLate(),
          view.getAuditsNever());
    }

    long lookups() {
      return hits + misses;
    }
  }

  record FeedState(String state, String trouble, long lagNanos, long changes, long upheavals) {
    static FeedState of(FeedMXBean view) {
      return new FeedState(
          view.getState(),
          view.getTrouble(),
          view.getLagNanos(),
          view.getChanges(),
          view.getUpheavals());
    }
  }

  private static Look look(MBeanServerConnection server) throws IOException, Failure {
    try {
      Map<String, Counts> shelves = new LinkedHashMap<>();
      Map<String, FeedState> feeds = new LinkedHashMap<>();
      List<ObjectName> names =
          new ArrayList<>(server.queryNames(new ObjectName(JmxBeans.DOMAIN + ":*"), null));
      names.sort(null);
      for (ObjectName name : names) {
        String program = name.getKeyProperty("program");
        if (name.getKeyProperty("kind").equals("feed")) {
          feeds.put(program, FeedState.of(JMX.newMXBeanProxy(server, name, FeedMXBean.class)));
        } else {
          Counts counts = Counts.of(JMX.newMXBeanProxy(server, name, ShelfMXBean.class));
          shelves.put(program + "/" + counts.name(), counts);
        }
      }
      if (shelves.isEmpty()) {
        throw new Failure("The program runs, but uses no shelf just now.");
      }
      return new Look(System.nanoTime(), shelves, feeds);
    } catch (JMException e) {
      throw new IllegalStateException(e);
    }
  }
}
