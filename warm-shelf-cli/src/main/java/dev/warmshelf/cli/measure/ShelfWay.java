package dev.warmshelf.cli.measure;

import dev.warmshelf.Precision;
import dev.warmshelf.Question;
import dev.warmshelf.Recipe;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.feed.FeedException;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.meter.Meters;
import dev.warmshelf.shelf.Reading;
import java.math.BigDecimal;
import java.sql.SQLException;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDateTime;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import javax.sql.DataSource;

/** Reads through shelves that follow the journal. */
final class ShelfWay implements Way {
  private static final Recipe RECIPE = Recipe.plain().leavingOut(Request.TOKEN);

  record Departure(
      int id,
      Instant leavesAt,
      String status,
      String vessel,
      String destination,
      long version,
      long revision,
      BigDecimal metresLeft) {}

  record Sailing(int id, int routeId, Instant leavesAt, String status, long version) {}

  record Notice(int id, String severity, String text, long version) {}

  record Month(
      LocalDateTime month, long sailings, long version, long revision, long metresOffered) {}

  private final String name;
  private final WarmShelf warm;

  /** Stale answers go with time, not by a tick. */
  private final boolean boundedByTtl;

  private final ShelvedQuery<Departure> departures;
  private final ShelvedQuery<Sailing> sailing;
  private final ShelvedQuery<Notice> notices;
  private final ShelvedQuery<Month> occupancy;

  private ShelfWay(String name, WarmShelf warm, boolean boundedByTtl) {
    this.name = name;
    this.warm = warm;
    this.boundedByTtl = boundedByTtl;
    this.departures = warm.query(Request.Kind.DEPARTURES.sql()).as(Departure.class);
    this.sailing = warm.query(Request.Kind.SAILING.sql()).as(Sailing.class);
    this.notices = warm.query(Request.Kind.NOTICES.sql()).as(Notice.class);
    this.occupancy = warm.query(Request.Kind.OCCUPANCY.sql()).as(Month.class);
  }

  /** Follows the journal, telling changes apart as finely as this. */
  static ShelfWay following(DataSource dataSource, Precision precision)
      throws SQLException, FeedException {
    String name =
        switch (precision) {
          case TABLES -> "table lanes";
          case VALUES -> "value lanes";
          case ANSWERS -> "answer lanes";
        };
    return new ShelfWay(
        name,
        WarmShelf.over(dataSource)
            .following(JournalFeed.on(dataSource))
            .tellingApart(precision)
            .namespace(name)
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy, RECIPE)
            .open(),
        false);
  }

  /** Follows nothing. */
  static ShelfWay onTtlAlone(DataSource dataSource, Duration ttl)
      throws SQLException, FeedException {
    return new ShelfWay(
        "TTL only",
        WarmShelf.over(dataSource)
            .onTtlAlone()
            .namespace("TTL only")
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy.ttl(ttl), RECIPE)
            .open(),
        true);
  }

  @Override
  public String name() {
    return name;
  }

  @Override
  public Read read(Request request) throws SQLException {
    return switch (request.kind()) {
      case DEPARTURES -> {
        Reading<List<Departure>> reading = ask(departures, request).list();
        yield Read.of(
            reading.origin(),
            () -> {
              Map<Scope, Long> versions = new HashMap<>();
              for (Departure row : reading.value()) {
                versions.put(new Scope(Scope.Kind.SAILING, row.id()), row.version());
                versions.put(new Scope(Scope.Kind.BOOKED, row.id()), row.revision());
              }
              return seen(reading, versions);
            });
      }
      case SAILING -> {
        Reading<List<Sailing>> reading = ask(sailing, request).list();
        yield Read.of(
            reading.origin(),
            () -> {
              Map<Scope, Long> versions = new HashMap<>();
              for (Sailing row : reading.value()) {
                versions.put(new Scope(Scope.Kind.SAILING, row.id()), row.version());
              }
              return seen(reading, versions);
            });
      }
      case NOTICES -> {
        Reading<List<Notice>> reading = ask(notices, request).list();
        yield Read.of(
            reading.origin(),
            () -> {
              Map<Scope, Long> versions = new HashMap<>();
              for (Notice row : reading.value()) {
                versions.put(new Scope(Scope.Kind.NOTICE, row.id()), row.version());
              }
              return seen(reading, versions);
            });
      }
      case OCCUPANCY -> {
        Reading<List<Month>> reading = ask(occupancy, request).list();
        int route = request.number("route");
        yield Read.of(
            reading.origin(),
            () -> {
              Map<Scope, Long> versions = new HashMap<>();
              for (Month row : reading.value()) {
                versions.merge(new Scope(Scope.Kind.ROUTE, route), row.version(), Long::sum);
                versions.merge(
                    new Scope(Scope.Kind.ROUTE_BOOKED, route), row.revision(), Math::max);
              }
              return seen(reading, versions);
            });
      }
    };
  }

  @Override
  public long databaseReads() {
    return meters().databaseReads();
  }

  @Override
  public OptionalDouble hitRatio() {
    return OptionalDouble.of(meters().hitRatio());
  }

  /** The shelf's own counts. */
  Meters.Snapshot meters() {
    return warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot();
  }

  WarmShelf warm() {
    return warm;
  }

  @Override
  public void close() {
    warm.close();
  }

  private static <T> Question<T> ask(ShelvedQuery<T> query, Request request) {
    Question<T> question = query.question();
    request.parameters().forEach(question::with);
    return question;
  }

  private Seen seen(Reading<?> reading, Map<Scope, Long> versions) {
    return new Seen(versions, () -> boundedByTtl || !reading.holdsStill());
  }
}
