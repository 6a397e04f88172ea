package dev.warmshelf;

import dev.warmshelf.base.Library;
import dev.warmshelf.database.Session;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.shelf.Policy;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.spi.feed.Feed;
import java.time.Duration;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
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
      Collection<AnswerShelf> all,
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
    List<AnswerShelf> shelves =
        all.stream().sorted(Comparator.comparing(AnswerShelf::name)).toList();
    LOG.info(
        "Shelves: {}; rules: {}; what each says is told at debug",
        String.join(", ", shelves.stream().map(AnswerShelf::name).toList()),
        rules.size());
    shelves.forEach(shelf -> tell(shelf, room, hasStore));
    rules.forEach(rule -> LOG.debug("Rule: {}", rule));
  }

  private static void tell(AnswerShelf shelf, Capacity shared, boolean hasStore) {
    Policy policy = shelf.policy();
    Capacity own = policy.capacity();
    Optional<Duration> ttl = policy.expiry().sinceFill();
    LOG.debug(
        "Shelf: shelf={} in={} room_mib={} ({}) ttl={} feed_lost_after={} slow_load={} audits={}",
        shelf.name(),
        hasStore && !policy.expiry().withProcess() ? "memory,shared" : "memory",
        (own.ofItsOwn() ? own : shared).bytes() >> MEBIBYTE_BITS,
        own.ofItsOwn() ? "its own" : "shared",
        ttl.map(Duration::toString).orElse("none"),
        policy.tolerance(),
        policy.slowLoad(),
        policy.audit());
  }
}
