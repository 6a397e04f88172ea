package dev.warmshelf;

import dev.warmshelf.base.Library;
import dev.warmshelf.database.Session;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.spi.feed.Feed;
import java.time.Duration;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/** What somebody who reads the log of a start must know. */
final class StartLog {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);
  private static final int MEBIBYTE_BITS = 20;

  private StartLog() {}

  /** What went wrong, as a sentence with an end. */
  static String sentence(Exception trouble) {
    String message = trouble.getMessage() == null ? trouble.toString() : trouble.getMessage();
    return message.endsWith(".") ? message : message + ".";
  }

  /**
   * @param named the namespace; may be empty
   * @param room what shelves share that have none of their own
   * @param hasStore whether answers are shared with other processes
   */
  static void tell(
      String driver,
      Session session,
      @Nullable Feed feed,
      String named,
      Collection<Shelf> all,
      Capacity room,
      boolean hasStore,
      List<Rule> rules) {
    LOG.info(
        "Open: version={} driver={} database={} role={} feed={} namespace={} heap_mib={}",
        Library.version(),
        driver,
        session.database(),
        session.role(),
        feed == null ? "none" : feed.getClass().getSimpleName(),
        named.isEmpty() ? "none" : named,
        Runtime.getRuntime().maxMemory() >> MEBIBYTE_BITS);
    List<Shelf> shelves = all.stream().sorted(Comparator.comparing(Shelf::name)).toList();
    LOG.info(
        "Shelves: {}; rules: {}; what each says is told at debug",
        String.join(", ", shelves.stream().map(Shelf::name).toList()),
        rules.size());
    shelves.forEach(shelf -> tell(shelf, room, hasStore));
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
