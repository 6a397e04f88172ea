package dev.warmshelf.config;

import dev.warmshelf.postgres.driver.UrlText;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shelf.Sharing;
import java.time.Duration;
import java.util.List;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Where a program shares answers with others; what is null is as the library has it.
 *
 * @param url of connections of its own; null for those of the data source
 */
record SharedBlock(
    @Nullable String url,
    @Nullable String user,
    @Nullable String password,
    @Nullable Integer connections,
    @Nullable Duration answersWithin,
    Limits limits) {
  static final List<String> WORDS =
      List.of(
          "url",
          "user",
          "password",
          "connections",
          "answers-within",
          "waits-at-most",
          "queue",
          "largest",
          "from-load-of");

  /** How much of it, and how long. */
  record Limits(
      @Nullable Duration waiting,
      @Nullable Long queue,
      @Nullable Long largest,
      @Nullable Duration fromLoadOf) {}

  /** The URL, without what may be a secret. */
  String where() {
    return url == null ? "" : UrlText.shown(url);
  }

  Sharing over(DataSource source) {
    PostgresStore store =
        url == null ? PostgresStore.on(source) : PostgresStore.on(url, user, password);
    store = connections == null ? store : store.reading(connections);
    store = answersWithin == null ? store : store.answeringWithin(answersWithin);
    Sharing sharing = Sharing.through(store);
    sharing = limits.waiting() == null ? sharing : sharing.waitingFor(limits.waiting());
    sharing = limits.queue() == null ? sharing : sharing.queueing(limits.queue());
    sharing = limits.largest() == null ? sharing : sharing.answersUpTo(limits.largest());
    return limits.fromLoadOf() == null ? sharing : sharing.fromLoadsOf(limits.fromLoadOf());
  }
}
