package dev.warmshelf.journal;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.postgres.analysis.SchemaPrints;
import dev.warmshelf.spi.feed.Watched;
import dev.warmshelf.statement.SchemaObject;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.HashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * The parts of the schema on which statements depend, and what each was like when it was read.
 *
 * <p><b>Why no change is missed.</b> Who reads the catalogue takes the mark first and hands in what
 * was found with it. A look raises the mark before it asks. So either what was handed in is among
 * what the look asks about, or it is refused and read again; and what was read after a look's
 * asking is seen by the next.
 *
 * <p>Thread-safe; looks are taken by one thread.
 */
final class SchemaWatch {
  /** So many statements are watched at most; of more, those that came first go first. */
  private static final int MOST = 20_000;

  /** By object, by what was found of it, who depends on that. */
  private final Map<String, Map<String, Set<Watched>>> objects = new HashMap<>();

  private final Set<Watched> watched = new LinkedHashSet<>();

  /** Lanes of statements that may mean something else, until they have been delivered. */
  private final Set<Lane> undelivered = new LinkedHashSet<>();

  private long mark;

  synchronized long mark() {
    return mark;
  }

  synchronized boolean add(long before, Watched one) {
    if (before != mark) {
      return false;
    }
    if (watched.size() == MOST) {
      Watched first = watched.iterator().next();
      putOut(first);
    }
    watched.add(one);
    one.prints()
        .forEach(
            (object, print) ->
                objects
                    .computeIfAbsent(object, o -> new HashMap<>())
                    .computeIfAbsent(print, p -> new LinkedHashSet<>())
                    .add(one));
    return true;
  }

  /**
   * Looks which statements may mean something else than they did.
   *
   * @return how many there are
   */
  int look(Connection connection) throws SQLException {
    List<SchemaObject> asked = begin();
    Map<SchemaObject, String> prints = SchemaPrints.ask(connection, asked);
    return compare(asked, prints);
  }

  /** The lanes of the statements that may, as far as that has not been delivered. */
  synchronized List<Lane> undelivered() {
    return List.copyOf(undelivered);
  }

  synchronized void delivered(List<Lane> lanes) {
    lanes.forEach(undelivered::remove);
  }

  private synchronized List<SchemaObject> begin() {
    mark++;
    return objects.keySet().stream().map(SchemaObject::read).toList();
  }

  private synchronized int compare(List<SchemaObject> asked, Map<SchemaObject, String> prints) {
    Set<Watched> changed = new LinkedHashSet<>();
    for (SchemaObject object : asked) {
      String now = prints.getOrDefault(object, "");
      objects
          .getOrDefault(object.written(), Map.of())
          .forEach(
              (print, dependents) -> {
                if (!print.equals(now)) {
                  changed.addAll(dependents);
                }
              });
    }
    changed.forEach(this::putOut);
    return changed.size();
  }

  private void putOut(Watched one) {
    remove(one);
    one.mayMeanAnother();
    undelivered.add(one.lane());
  }

  private void remove(Watched one) {
    watched.remove(one);
    one.prints()
        .forEach(
            (object, print) -> {
              Map<String, Set<Watched>> byPrint = objects.getOrDefault(object, Map.of());
              Set<Watched> dependents = byPrint.getOrDefault(print, Set.of());
              dependents.remove(one);
              if (dependents.isEmpty()) {
                byPrint.remove(print);
              }
              if (byPrint.isEmpty()) {
                objects.remove(object);
              }
            });
  }
}
