package dev.warmshelf;

import dev.warmshelf.base.Library;
import dev.warmshelf.jmx.Desk;
import dev.warmshelf.jmx.OpenValues;
import dev.warmshelf.shelf.AskedStatement;
import dev.warmshelf.shelf.NeedlessReloads;
import dev.warmshelf.shelf.SharedState;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.spi.feed.Clearing;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Supplier;

/** What a program shows, and does if it is asked, over JMX. */
final class ProgramDesk implements Desk {
  private final WarmShelf warm;

  ProgramDesk(WarmShelf warm) {
    this.warm = warm;
  }

  @Override
  public Map<String, Object> attributes() {
    Health health = warm.health();
    Map<String, Object> all = new LinkedHashMap<>();
    all.put("Health", health.state().name());
    all.put("IsWell", health.isWell());
    all.put("Version", Library.version());
    all.put("Driver", warm.driver());
    all.put("Why", health.why());
    all.put("TimeSavedNanos", warm.timeSaved().toNanos());
    all.put("LagMillis", health.lag().map(lag -> lag.toMillis()).orElse(-1L));
    all.put("LostSince", health.lostSince().map(Object::toString).orElse(""));
    List<Map<String, Object>> gives = new ArrayList<>();
    health.shelves().forEach((shelf, what) -> gives.add(Map.of("shelf", shelf, "gives", what)));
    all.put("Gives", OpenValues.rows("gives", gives));
    all.put("Statements", lazily(() -> OpenValues.rows("statement", statements())));
    all.put("Needless", lazily(() -> OpenValues.rows("needless", needless())));
    all.put("StoodDown", lazily(() -> OpenValues.rows("stoodDown", stoodDown())));
    all.put("Shared", warm.shared().map(SharedState::inWords).orElse(""));
    return all;
  }

  /** Only if it is asked for: there may be a thousand. */
  private static Supplier<Object> lazily(Supplier<Object> rows) {
    return rows;
  }

  private List<Map<String, Object>> statements() {
    return warm.statements().stream().map(AskedStatement::fields).toList();
  }

  private List<Map<String, Object>> needless() {
    List<Map<String, Object>> all = new ArrayList<>();
    for (Shelf shelf : warm.shelves()) {
      for (NeedlessReloads each : shelf.needless()) {
        Map<String, Object> fields = new LinkedHashMap<>();
        fields.put("shelf", shelf.name());
        fields.put("table", each.table());
        fields.put("recentReloads", each.recent().reloads());
        fields.put("recentNeedless", each.recent().needless());
        fields.put("recentNanos", each.recent().nanos());
        fields.put("reloads", each.all().reloads());
        fields.put("needless", each.all().needless());
        fields.put("nanos", each.all().nanos());
        fields.put("much", each.recent().isMuch());
        fields.put("columns", each.columns().toArray(new String[0]));
        fields.put("advice", each.advice());
        all.add(fields);
      }
    }
    return all;
  }

  private List<Map<String, Object>> stoodDown() {
    List<Map<String, Object>> all = new ArrayList<>();
    for (Shelf shelf : warm.shelves()) {
      for (Shelf.StoodDown each : shelf.stoodDown()) {
        Map<String, Object> fields = new LinkedHashMap<>();
        fields.put("shelf", shelf.name());
        fields.put("form", each.form());
        fields.put("statement", each.statement());
        fields.put("since", each.since().toString());
        fields.put("why", each.why());
        all.add(fields);
      }
    }
    return all;
  }

  @Override
  public long clear(String what, String name) {
    return warm.clear(Clearing.of(what, name, "somebody over JMX"));
  }

  @Override
  public void clearEverywhere(String what, String name) throws SQLException {
    warm.clearEverywhere(Clearing.of(what, name, "somebody over JMX"));
  }
}
