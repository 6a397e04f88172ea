package dev.warmshelf.metrics;

import java.util.Map;

/** What each metric is, in a sentence, by its name without the prefix. */
final class Descriptions {
  private static final Map<String, String> ALL =
      Map.ofEntries(
          Map.entry("lookups", "Lookups on the shelf, by whether they found an answer to serve."),
          Map.entry("entries.left", "Entries that left the shelf, by why."),
          Map.entry("joined", "Misses that another caller's load has answered."),
          Map.entry("shared", "Misses that another process's answer has answered."),
          Map.entry("probed", "Mended answers of which a probe found nothing changed."),
          Map.entry("unmended", "Loads before which parts were asked for in vain."),
          Map.entry("fills", "Answers that were put on the shelf."),
          Map.entry("restored", "Answers of an earlier process that were put back."),
          Map.entry("load.failures", "Loads that threw."),
          Map.entry("revived", "Entries that a second look at the changes found untouched."),
          Map.entry("old", "Hits on entries that are out of date, served on purpose."),
          Map.entry(
              "old.on.failure", "Reads that got a kept answer since the database did not answer."),
          Map.entry("ahead", "Answers that were renewed in the background."),
          Map.entry("needless", "Invalidated entries whose reload gave the same rows."),
          Map.entry("needless.reloads", "Needless reloads by the table whose changes caused them."),
          Map.entry("stood.down", "Forms of question that stand down: nothing of them is kept."),
          Map.entry("needless.tables", "Tables whose changes have caused needless reloads."),
          Map.entry("wasted", "Entries that left before their first hit."),
          Map.entry("not.kept", "Answers that were not kept, by policy or for their size."),
          Map.entry("overtaken", "Loads that a change overtook, so that they were not kept."),
          Map.entry("written.through", "Answers that were kept from the program's own writes."),
          Map.entry("bypassed", "Reads that bypassed the shelf, by the reason."),
          Map.entry("audits", "Hits that were read again directly, by what was found."),
          Map.entry("entries", "Answers that the shelf holds now, fresh or not."),
          Map.entry("memory", "About what the kept answers take, with their keys."),
          Map.entry("time.saved", "What reads were spared, less what they took beyond loads."),
          Map.entry("load", "Loads that a shelf asked for, with what they took."),
          Map.entry("hit", "Hits that were timed, one in 64, with what they took."),
          Map.entry("bypass", "Reads past the shelf, with what the database took."),
          Map.entry("mend", "Answers that were mended, with what that took."),
          Map.entry("load.quantile", "What loads take, since the shelf was opened."),
          Map.entry("hit.quantile", "What hits take, since the shelf was opened."),
          Map.entry("bypass.quantile", "What reads past it take, since the shelf was opened."),
          Map.entry("feed.batches", "Looks of the feed that were delivered."),
          Map.entry("feed.changes", "Changes that the feed has told of."),
          Map.entry("feed.resets", "Times that everything kept was invalidated."),
          Map.entry("feed.losses", "Times that the feed could not ask the database any more."),
          Map.entry("feed.commits.told", "Own commits that said themselves what they changed."),
          Map.entry("feed.commits.took", "What own commits waited for the library, in all."),
          Map.entry("feed.commits.waited", "Own commits that waited until the feed had told."),
          Map.entry("feed.state", "1 for the state that the feed is in."),
          Map.entry("feed.lag", "Up to how long ago all changes are known."),
          Map.entry("shared.asked", "Answers that the shared store was asked for."),
          Map.entry("shared.taken", "Answers that were taken from the shared store."),
          Map.entry("shared.nothing.there", "Answers that the shared store did not have."),
          Map.entry("shared.useless", "Answers of the shared store that were found and not taken."),
          Map.entry("shared.unreadable", "Answers not taken since they could not be read."),
          Map.entry(
              "shared.of.another.place",
              "Answers not taken since this process does not remember the changes after them."),
          Map.entry("shared.out.of.date", "Answers not taken since something has changed."),
          Map.entry("shared.waited", "Times that another process's load was waited for."),
          Map.entry("shared.written", "Answers that were written to the shared store."),
          Map.entry("shared.left.out", "Answers not written since too many waited already."),
          Map.entry("shared.failures", "Times that the shared store failed."),
          Map.entry("shared.away", "1 while the shared store does not answer."),
          Map.entry("shared.queue", "What waits to be written to the shared store."),
          Map.entry("health", "1 for the state that the shelves are in."),
          Map.entry("queries.known", "Queries that are told apart."),
          Map.entry("queries", "Questions by query and by how they were answered."));

  private Descriptions() {}

  /**
   * A metric's.
   *
   * @throws IllegalArgumentException if it has none
   */
  static String of(String name) {
    String found = ALL.get(name);
    if (found == null) {
      throw new IllegalArgumentException("The metric '" + name + "' is not described.");
    }
    return found;
  }
}
