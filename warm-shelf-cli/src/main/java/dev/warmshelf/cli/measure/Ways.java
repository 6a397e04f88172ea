package dev.warmshelf.cli.measure;

import dev.warmshelf.feed.FeedException;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Supplier;
import javax.sql.DataSource;

/** The ways of one comparison, direct reads first, then from the coarsest to the finest. */
final class Ways implements AutoCloseable {
  private final List<Way> all = new ArrayList<>();

  /**
   * Opens them.
   *
   * @param kinds at least one beside {@link WayKind#DIRECT}, which is always among them
   */
  static Ways open(Set<WayKind> kinds, DataSource dataSource, Duration ttl)
      throws SQLException, FeedException {
    Set<WayKind> ordered = new TreeSet<>(kinds);
    ordered.add(WayKind.DIRECT);
    Ways ways = new Ways();
    try {
      for (WayKind kind : ordered) {
        ways.all.add(kind.open(dataSource, ttl));
      }
      return ways;
    } catch (SQLException | FeedException | RuntimeException e) {
      ways.close();
      throw e;
    }
  }

  List<Way> all() {
    return Collections.unmodifiableList(all);
  }

  /** Those that keep answers. */
  List<ShelfWay> kept() {
    return all.stream().filter(ShelfWay.class::isInstance).map(ShelfWay.class::cast).toList();
  }

  /** For each that follows a feed, by name, up to when that has told of all. */
  Map<String, Supplier<Instant>> deliveredUpTo() {
    Map<String, Supplier<Instant>> moments = new LinkedHashMap<>();
    for (ShelfWay way : kept()) {
      if (way.follows()) {
        moments.put(way.name(), () -> way.warm().freshAsOf().orElse(Instant.MIN));
      }
    }
    return moments;
  }

  /** The one that tells changes apart most finely. */
  ShelfWay finest() {
    List<ShelfWay> kept = kept();
    return kept.get(kept.size() - 1);
  }

  @Override
  public void close() {
    all.forEach(Way::close);
  }
}
