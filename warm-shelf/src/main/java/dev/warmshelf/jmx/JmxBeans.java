package dev.warmshelf.jmx;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.time.TimeSource;
import dev.warmshelf.time.Watermark;
import java.lang.management.ManagementFactory;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;
import javax.management.JMException;
import javax.management.MBeanServer;
import javax.management.ObjectName;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Registers the meters of one program part with the virtual machine's own MBean server, and takes
 * them away again. Meters are read when somebody asks, and cost nothing otherwise.
 */
public final class JmxBeans implements AutoCloseable {
  /** Under which all are registered. */
  public static final String DOMAIN = "dev.warmshelf";

  private static final Logger LOG = LoggerFactory.getLogger(JmxBeans.class);
  private static final AtomicInteger COUNT = new AtomicInteger();

  private final MBeanServer server = ManagementFactory.getPlatformMBeanServer();
  private final List<ObjectName> registered = new ArrayList<>();

  /** Shows a program part. */
  public JmxBeans(Program program) {
    String number = Integer.toString(COUNT.incrementAndGet());
    for (Shelf shelf : program.shelves()) {
      String name =
          program.namespace().isEmpty() ? shelf.name() : program.namespace() + "/" + shelf.name();
      register(
          number,
          "shelf",
          shelf.name(),
          new AttributesBean(
              "A shelf's meters and entries",
              () -> attributes(name, shelf),
              EntryValues.operations(shelf)));
    }
    Desk desk = program.desk();
    register(
        number,
        "program",
        "program",
        new AttributesBean("The whole", desk::attributes, clearing(desk)));
    Feed feed = program.feed();
    if (feed != null) {
      register(
          number,
          "feed",
          "feed",
          new AttributesBean(
              "A feed's meters",
              () -> attributes(feed, program.board(), program.time()),
              List.of()));
    }
  }

  private static List<Operation> clearing(Desk desk) {
    List<Operation.Input> inputs =
        List.of(
            new Operation.Input("what", String.class, "all, shelf, table, tag, query or key"),
            new Operation.Input("name", String.class, "of it; empty for all"));
    return List.of(
        new Operation(
            "clear",
            "Clears kept answers in this process; gives about how many are gone",
            long.class,
            inputs,
            given -> desk.clear((String) given[0], (String) given[1])),
        new Operation(
            "clearEverywhere",
            "Has all processes clear that follow the journal",
            boolean.class,
            inputs,
            given -> {
              desk.clearEverywhere((String) given[0], (String) given[1]);
              return true;
            }));
  }

  private void register(String program, String kind, String name, AttributesBean bean) {
    try {
      ObjectName id =
          new ObjectName(
              DOMAIN + ":program=" + program + ",kind=" + kind + ",name=" + ObjectName.quote(name));
      server.registerMBean(bean, id);
      registered.add(id);
    } catch (JMException e) {
      LOG.warn("The meters of {} '{}' cannot be shown over JMX.", kind, name, e);
    }
  }

  @Override
  public void close() {
    for (ObjectName id : registered) {
      try {
        server.unregisterMBean(id);
      } catch (JMException e) {
        LOG.debug("{} was gone already", id, e);
      }
    }
  }

  /** A shelf's meters. */
  private static Map<String, Object> attributes(String name, Shelf shelf) {
    Map<String, Object> all = new LinkedHashMap<>();
    all.put("Name", name);
    all.put("Gives", shelf.gives());
    all.put("Entries", (long) shelf.size());
    all.put("Bytes", shelf.bytes());
    putAll(shelf.meters().snapshot().byName(), all);
    putTimes("Hit", shelf.meters().timedHits(), all);
    putTimes("Load", shelf.meters().loads(), all);
    putTimes("Bypass", shelf.meters().bypasses(), all);
    return all;
  }

  private static Map<String, Object> attributes(Feed feed, Board board, TimeSource time) {
    Map<String, Object> all = new LinkedHashMap<>();
    FeedMeters.Snapshot meters = feed.meters().snapshot();
    all.put("State", meters.state().name());
    all.put("Trouble", meters.trouble().orElse(""));
    Watermark watermark = board.watermark();
    all.put(
        "LagNanos",
        watermark == null ? Long.MAX_VALUE : Math.max(0, time.nanos() - watermark.nanos()));
    putAll(meters.byName(), all);
    all.put("CommitsTookNanos", meters.commits().tookNanos());
    putTimes("Step", feed.meters().steps(), all);
    return all;
  }

  /** Quantiles are 0 before the first. */
  private static void putTimes(String what, Timings times, Map<String, Object> all) {
    all.put(what + "Count", times.count());
    all.put(what + "TotalNanos", times.totalNanos());
    all.put(what + "P50Nanos", times.nanosAt(50));
    all.put(what + "P99Nanos", times.nanosAt(99));
  }

  /** Attributes' names begin with a capital, as is usual there. */
  private static void putAll(Map<String, Long> counts, Map<String, Object> all) {
    counts.forEach(
        (name, count) ->
            all.put(name.substring(0, 1).toUpperCase(Locale.ROOT) + name.substring(1), count));
  }
}
