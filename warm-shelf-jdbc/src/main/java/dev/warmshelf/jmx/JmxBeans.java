package dev.warmshelf.jmx;

import dev.warmshelf.feed.Feed;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Timings;
import dev.warmshelf.shelf.HeldSize;
import dev.warmshelf.shelf.Shelf;
import java.lang.management.ManagementFactory;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Supplier;
import javax.management.JMException;
import javax.management.MBeanServer;
import javax.management.ObjectName;
import org.jspecify.annotations.Nullable;
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

  /**
   * @param namespace goes before the shelves' names; may be empty
   * @param feed null if none is followed
   * @param statements what the program asks by JDBC, a line each
   */
  public JmxBeans(
      String namespace,
      Collection<Shelf> shelves,
      @Nullable Feed feed,
      Board board,
      TimeSource time,
      Supplier<String> statements) {
    String program = Integer.toString(COUNT.incrementAndGet());
    for (Shelf shelf : shelves) {
      String name = namespace.isEmpty() ? shelf.name() : namespace + "/" + shelf.name();
      register(
          program,
          "shelf",
          shelf.name(),
          new AttributesBean("A shelf's meters", () -> attributes(name, shelf)));
    }
    register(
        program,
        "statements",
        "statements",
        new AttributesBean(
            "What the program asks by JDBC", () -> Map.of("Statements", statements.get())));
    if (feed != null) {
      register(
          program,
          "feed",
          "feed",
          new AttributesBean("A feed's meters", () -> attributes(feed, board, time)));
    }
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

  /** A shelf's meters; {@code Bytes} takes a look at every entry. */
  private static Map<String, Object> attributes(String name, Shelf shelf) {
    Map<String, Object> all = new LinkedHashMap<>();
    all.put("Name", name);
    all.put("Entries", (long) shelf.size());
    all.put("Bytes", shelf.held().values().stream().mapToLong(HeldSize::bytes).sum());
    putAll(shelf.meters().snapshot().byName(), all);
    putTimes("Hit", shelf.meters().timedHits(), all);
    putTimes("Load", shelf.meters().loads(), all);
    return all;
  }

  private static Map<String, Object> attributes(Feed feed, Board board, TimeSource time) {
    Map<String, Object> all = new LinkedHashMap<>();
    FeedMeters.Snapshot meters = feed.meters().snapshot();
    all.put("State", meters.state().name());
    all.put("Trouble", meters.trouble() == null ? "" : meters.trouble());
    Watermark watermark = board.watermark();
    all.put(
        "LagNanos",
        watermark == null ? Long.MAX_VALUE : Math.max(0, time.nanos() - watermark.nanos()));
    putAll(meters.byName(), all);
    putTimes("Step", feed.meters().steps(), all);
    return all;
  }

  /** 0 before the first. */
  private static void putTimes(String what, Timings times, Map<String, Object> all) {
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
