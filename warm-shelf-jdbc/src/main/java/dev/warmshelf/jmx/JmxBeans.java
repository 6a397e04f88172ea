package dev.warmshelf.jmx;

import dev.warmshelf.feed.Feed;
import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;
import dev.warmshelf.fresh.Watermark;
import dev.warmshelf.meter.FeedMeters;
import dev.warmshelf.meter.Finding;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.HeldSize;
import dev.warmshelf.shelf.Shelf;
import java.lang.management.ManagementFactory;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import javax.management.JMException;
import javax.management.MBeanServer;
import javax.management.ObjectName;
import org.HdrHistogram.Histogram;
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
   */
  public JmxBeans(
      String namespace,
      Collection<Shelf> shelves,
      @Nullable Feed feed,
      Board board,
      TimeSource time) {
    String program = Integer.toString(COUNT.incrementAndGet());
    for (Shelf shelf : shelves) {
      String name = namespace.isEmpty() ? shelf.name() : namespace + "/" + shelf.name();
      register(program, "shelf", shelf.name(), new ShelfMeters(name, shelf));
    }
    if (feed != null) {
      register(program, "feed", "feed", new FeedMetersView(feed, board, time));
    }
  }

  private void register(String program, String kind, String name, Object view) {
    try {
      ObjectName id =
          new ObjectName(
              DOMAIN + ":program=" + program + ",kind=" + kind + ",name=" + ObjectName.quote(name));
      server.registerMBean(view, id);
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

  private static final class ShelfMeters implements ShelfMXBean {
    private final String name;
    private final Shelf shelf;

    ShelfMeters(String name, Shelf shelf) {
      this.name = name;
      this.shelf = shelf;
    }

    private Meters.Snapshot meters() {
      return shelf.meters().snapshot();
    }

    private static long at(Histogram histogram, double percentile) {
      return histogram.getTotalCount() == 0 ? 0 : histogram.getValueAtPercentile(percentile);
    }

    @Override
    public String getName() {
      return name;
    }

    @Override
    public int getSize() {
      return shelf.size();
    }

    @Override
    public long getBytes() {
      return shelf.held().values().stream().mapToLong(HeldSize::bytes).sum();
    }

    @Override
    public long getTimeSavedNanos() {
      return meters().timeSavedNanos();
    }

    @Override
    public long getHits() {
      return meters().hits();
    }

    @Override
    public long getMisses() {
      return meters().misses();
    }

    @Override
    public long getJoined() {
      return meters().joined();
    }

    @Override
    public long getBypassed() {
      return meters().bypassed();
    }

    @Override
    public long getFills() {
      return meters().fills();
    }

    @Override
    public long getLoadFailures() {
      return meters().loadFailures();
    }

    @Override
    public long getInvalidated() {
      return meters().invalidated();
    }

    @Override
    public long getNeedless() {
      return meters().needless();
    }

    @Override
    public long getExpired() {
      return meters().expired();
    }

    @Override
    public long getEvicted() {
      return meters().evicted();
    }

    @Override
    public long getWasted() {
      return meters().wasted();
    }

    @Override
    public long getOutAtBirth() {
      return meters().outAtBirth();
    }

    @Override
    public long getWrittenThrough() {
      return meters().writtenThrough();
    }

    @Override
    public long getHitP50Nanos() {
      return at(meters().hitLatency(), 50);
    }

    @Override
    public long getHitP99Nanos() {
      return at(meters().hitLatency(), 99);
    }

    @Override
    public long getLoadP50Nanos() {
      return at(meters().loadLatency(), 50);
    }

    @Override
    public long getLoadP99Nanos() {
      return at(meters().loadLatency(), 99);
    }

    @Override
    public long getAuditsAgreed() {
      return meters().found(Finding.AGREED);
    }

    @Override
    public long getAuditsLate() {
      return meters().found(Finding.LATE);
    }

    @Override
    public long getAuditsNever() {
      return meters().found(Finding.NEVER);
    }
  }

  private static final class FeedMetersView implements FeedMXBean {
    private final Feed feed;
    private final Board board;
    private final TimeSource time;

    FeedMetersView(Feed feed, Board board, TimeSource time) {
      this.feed = feed;
      this.board = board;
      this.time = time;
    }

    private FeedMeters.Snapshot meters() {
      return feed.meters().snapshot();
    }

    @Override
    public String getState() {
      return meters().state().name();
    }

    @Override
    public String getTrouble() {
      String trouble = meters().trouble();
      return trouble == null ? "" : trouble;
    }

    @Override
    public long getLagNanos() {
      Watermark watermark = board.watermark();
      return watermark == null ? Long.MAX_VALUE : Math.max(0, time.nanos() - watermark.nanos());
    }

    @Override
    public long getBatches() {
      return meters().batches();
    }

    @Override
    public long getChanges() {
      return meters().changes();
    }

    @Override
    public long getUpheavals() {
      return meters().upheavals();
    }

    @Override
    public long getLosses() {
      return meters().losses();
    }
  }
}
