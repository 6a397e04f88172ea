package dev.warmshelf.cli.measure;

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
import java.time.Instant;
import java.time.LocalDateTime;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import javax.sql.DataSource;

/** Reads through shelves that follow the journal. */
final class ShelfWay implements Way {
  record Departure(
      int id,
      Instant leavesAt,
      String status,
      String vessel,
      String destination,
      long version,
      BigDecimal metresLeft) {}

  record Sailing(int id, int routeId, Instant leavesAt, String status, long version) {}

  record Notice(int id, String severity, String text, long version) {}

  record Month(LocalDateTime month, long sailings, long revision, long metresOffered) {}

  private final WarmShelf warm;
  private final ShelvedQuery<Departure> departures;
  private final ShelvedQuery<Sailing> sailing;
  private final ShelvedQuery<Notice> notices;
  private final ShelvedQuery<Month> occupancy;

  private ShelfWay(WarmShelf warm) {
    this.warm = warm;
    this.departures = warm.query(Request.Kind.DEPARTURES.sql()).as(Departure.class);
    this.sailing = warm.query(Request.Kind.SAILING.sql()).as(Sailing.class);
    this.notices = warm.query(Request.Kind.NOTICES.sql()).as(Notice.class);
    this.occupancy = warm.query(Request.Kind.OCCUPANCY.sql()).as(Month.class);
  }

  static ShelfWay open(DataSource dataSource) throws SQLException, FeedException {
    return new ShelfWay(
        WarmShelf.over(dataSource)
            .following(JournalFeed.on(dataSource))
            .shelf(WarmShelf.MAIN_SHELF, policy -> policy, Recipe.plain().leavingOut(Request.TOKEN))
            .open());
  }

  @Override
  public String name() {
    return "table lanes";
  }

  @Override
  public Read read(Request request) throws SQLException {
    return switch (request.kind()) {
      case DEPARTURES -> {
        Reading<List<Departure>> reading = ask(departures, request).list();
        yield () ->
            seen(reading, rows(Scope.Kind.SAILING, reading, Departure::id, Departure::version));
      }
      case SAILING -> {
        Reading<List<Sailing>> reading = ask(sailing, request).list();
        yield () -> seen(reading, rows(Scope.Kind.SAILING, reading, Sailing::id, Sailing::version));
      }
      case NOTICES -> {
        Reading<List<Notice>> reading = ask(notices, request).list();
        yield () -> seen(reading, rows(Scope.Kind.NOTICE, reading, Notice::id, Notice::version));
      }
      case OCCUPANCY -> {
        Reading<List<Month>> reading = ask(occupancy, request).list();
        int route = request.number("route");
        yield () -> seen(reading, rows(Scope.Kind.ROUTE, reading, month -> route, Month::revision));
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

  private interface IdOf<T> {
    int of(T row);
  }

  private interface VersionOf<T> {
    long of(T row);
  }

  private static <T> Map<Scope, Long> rows(
      Scope.Kind kind, Reading<List<T>> reading, IdOf<T> id, VersionOf<T> version) {
    Map<Scope, Long> versions = new HashMap<>();
    for (T row : reading.value()) {
      versions.merge(new Scope(kind, id.of(row)), version.of(row), Long::sum);
    }
    return versions;
  }

  private static Seen seen(Reading<?> reading, Map<Scope, Long> versions) {
    return new Seen(versions, () -> !reading.holdsStill());
  }
}
