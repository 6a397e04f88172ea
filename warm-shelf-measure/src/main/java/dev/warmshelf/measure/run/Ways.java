package dev.warmshelf.measure.run;

import dev.warmshelf.Precision;
import dev.warmshelf.measure.figures.WayKind;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStoreException;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collections;
import java.util.EnumMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.UUID;
import java.util.function.Supplier;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** The ways of one comparison, direct reads first, then from the coarsest to the finest. */
final class Ways implements AutoCloseable {
  private final List<Way> all = new ArrayList<>();

  /**
   * Opens them.
   *
   * @param kinds at least one beside {@link WayKind#SHARED} and {@link WayKind#DIRECT}, which is
   *     always among them
   * @param sharers needed by the former
   */
  static Ways open(
      Set<WayKind> kinds, DataSource dataSource, Duration ttl, @Nullable Sharers sharers)
      throws SQLException, FeedException {
    Set<WayKind> ordered = new TreeSet<>(kinds);
    ordered.add(WayKind.DIRECT);
    Ways ways = new Ways();
    try {
      for (WayKind kind : ordered) {
        ways.all.add(open(kind, dataSource, ttl, sharers));
      }
      return ways;
    } catch (SQLException | FeedException | RuntimeException e) {
      ways.close();
      throw e;
    }
  }

  private static Way open(
      WayKind kind, DataSource dataSource, Duration ttl, @Nullable Sharers sharers)
      throws SQLException, FeedException {
    return switch (kind) {
      case DIRECT -> new DirectWay(dataSource);
      case TTL -> ShelfWay.onTtlAlone(dataSource, ttl);
      case TABLES -> ShelfWay.following(dataSource, kind, Precision.TABLES, Renewal.loading());
      case VALUES -> ShelfWay.following(dataSource, kind, Precision.VALUES, Renewal.loading());
      case ANSWERS -> ShelfWay.following(dataSource, kind, Precision.ANSWERS, Renewal.loading());
      case SECOND_LOOK ->
          ShelfWay.following(dataSource, kind, Precision.ANSWERS, Renewal.lookingAgain());
      case MENDED, OLD ->
          ShelfWay.following(dataSource, kind, Precision.ANSWERS, Renewal.mending());
      case SHARED -> sharing(dataSource, sharers);
    };
  }

  private static Way sharing(DataSource dataSource, @Nullable Sharers sharers)
      throws SQLException, FeedException {
    if (sharers == null) {
      throw new IllegalArgumentException("'shared' needs a store, and processes that read.");
    }
    String name = "measured-" + UUID.randomUUID();
    SharedStore store = sharers.store();
    try {
      store.check();
    } catch (SharedStoreException e) {
      store.close();
      throw new SQLException(e.getMessage(), e);
    }
    return new SharedWay(ShelfWay.sharing(dataSource, store, name), store, name, sharers);
  }

  List<Way> all() {
    return Collections.unmodifiableList(all);
  }

  /** For each that follows a feed, up to when that has told of all. */
  Map<WayKind, Supplier<Instant>> deliveredUpTo() {
    Map<WayKind, Supplier<Instant>> moments = new EnumMap<>(WayKind.class);
    for (Way way : all) {
      if (way.deliveredUpTo().isPresent()) {
        moments.put(way.kind(), () -> way.deliveredUpTo().orElse(Instant.MIN));
      }
    }
    return moments;
  }

  /** The one that invalidates most finely, of those whose readers are threads. */
  ShelfWay finest() {
    List<ShelfWay> kept =
        all.stream().filter(ShelfWay.class::isInstance).map(ShelfWay.class::cast).toList();
    return kept.get(kept.size() - 1);
  }

  @Override
  public void close() {
    all.forEach(Way::close);
  }
}
