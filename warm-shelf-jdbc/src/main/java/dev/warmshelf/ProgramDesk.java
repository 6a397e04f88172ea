package dev.warmshelf;

import dev.warmshelf.feed.Clearing;
import dev.warmshelf.jmx.Desk;
import java.sql.SQLException;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.function.Supplier;

/** What a program shows, and does if it is asked, over JMX. */
final class ProgramDesk implements Desk {
  private final WarmShelf warm;
  private final Supplier<String> statements;

  ProgramDesk(WarmShelf warm, Supplier<String> statements) {
    this.warm = warm;
    this.statements = statements;
  }

  @Override
  public Map<String, Object> attributes() {
    Health health = warm.health();
    Map<String, Object> all = new LinkedHashMap<>();
    all.put("Health", health.state().name());
    all.put("IsWell", health.isWell());
    all.put("Version", WarmShelf.version());
    all.put("Driver", StartLog.driver());
    all.put("Why", health.why());
    all.put("LagMillis", health.lag().map(lag -> lag.toMillis()).orElse(-1L));
    all.put("LostSince", health.lostSince().map(Object::toString).orElse(""));
    StringBuilder gives = new StringBuilder();
    health
        .shelves()
        .forEach((shelf, what) -> gives.append(shelf).append('\t').append(what).append('\n'));
    all.put("Gives", gives.toString());
    all.put("Statements", statements.get());
    all.put("Shared", warm.shared().map(SharedState::inWords).orElse(""));
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
