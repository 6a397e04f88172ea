package dev.warmshelf;

import dev.warmshelf.feed.Feed;
import dev.warmshelf.postgres.Session;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Shelf;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.time.Duration;
import java.util.Comparator;
import java.util.List;
import java.util.Properties;
import org.jspecify.annotations.Nullable;
import org.postgresql.util.DriverInfo;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** What somebody who reads the log of a start must know. */
final class StartLog {
  private static final Logger LOG = LoggerFactory.getLogger(WarmShelf.class);
  private static final int MEBIBYTE_BITS = 20;

  private StartLog() {}

  /** The library's version. */
  static String version() {
    try (InputStream in = StartLog.class.getResourceAsStream("version.properties")) {
      Properties about = new Properties();
      about.load(in);
      return about.getProperty("version");
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The version of PostgreSQL's driver. */
  static String driver() {
    return DriverInfo.DRIVER_VERSION;
  }

  /** What went wrong, as a sentence with an end. */
  static String sentence(Exception trouble) {
    String message = trouble.getMessage() == null ? trouble.toString() : trouble.getMessage();
    return message.endsWith(".") ? message : message + ".";
  }

  static void tell(WarmShelf warm, Session session, @Nullable Feed feed, List<Rule> rules) {
    LOG.info(
        "Open: version={} driver={} database={} role={} feed={} namespace={} heap_mib={}",
        version(),
        driver(),
        session.database(),
        session.role(),
        feed == null ? "none" : feed.getClass().getSimpleName(),
        warm.namespace().isEmpty() ? "none" : warm.namespace(),
        Runtime.getRuntime().maxMemory() >> MEBIBYTE_BITS);
    List<Shelf> shelves =
        warm.shelves().stream().sorted(Comparator.comparing(Shelf::name)).toList();
    LOG.info(
        "Shelves: {}; rules: {}; what each says is told at debug",
        String.join(", ", shelves.stream().map(Shelf::name).toList()),
        rules.size());
    shelves.forEach(shelf -> tell(shelf, warm.sharedRoom(), warm.shared().isPresent()));
    rules.forEach(rule -> LOG.debug("Rule: {}", rule));
  }

  private static void tell(Shelf shelf, Capacity shared, boolean hasStore) {
    Policy policy = shelf.policy();
    Capacity own = policy.capacity();
    Duration ttl = policy.expiry().sinceFill();
    LOG.debug(
        "Shelf: shelf={} in={} room_mib={} ({}) ttl={} feed_lost_after={} slow_load={} audits={}",
        shelf.name(),
        hasStore && !policy.expiry().withProcess() ? "memory,shared" : "memory",
        (own.ofItsOwn() ? own : shared).bytes() >> MEBIBYTE_BITS,
        own.ofItsOwn() ? "its own" : "shared",
        ttl == null ? "none" : ttl,
        policy.trust().tolerance(),
        policy.oversight().slowLoad(),
        policy.oversight().audit());
  }
}
