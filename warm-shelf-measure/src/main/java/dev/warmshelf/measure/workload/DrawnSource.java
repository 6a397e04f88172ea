package dev.warmshelf.measure.workload;

import java.sql.Connection;
import java.sql.SQLException;
import java.util.List;
import java.util.Locale;
import java.util.OptionalLong;
import java.util.SplittableRandom;

/** Requests drawn from a workload's queries by their weights, endlessly. */
public final class DrawnSource implements RequestSource {
  private final DrawnRequests.Statements drawn;
  private final long seed;
  private final int readers;
  private final double perSecond;

  private DrawnSource(DrawnRequests.Statements drawn, long seed, int readers, double perSecond) {
    this.drawn = drawn;
    this.seed = seed;
    this.readers = readers;
    this.perSecond = perSecond;
  }

  /**
   * Asks the database for the bounds of all inputs.
   *
   * @param perSecond requests of all readers together; 0 for as fast as can be
   * @throws SQLException if the database cannot be reached, or does not hold the workload's tables
   */
  public static DrawnSource of(
      Workload workload, Connection connection, long seed, int readers, double perSecond)
      throws SQLException {
    return new DrawnSource(
        DrawnRequests.Statements.of(workload.queries(), connection), seed, readers, perSecond);
  }

  @Override
  public Requests stream(int reader) {
    return drawn.stream(seed + reader, perSecond / readers);
  }

  @Override
  public List<Request> samples() {
    return drawn.samples(new SplittableRandom(seed));
  }

  @Override
  public boolean isPaced() {
    return perSecond > 0;
  }

  @Override
  public String pace() {
    return isPaced()
        ? String.format(Locale.ROOT, "%,.0f reads a second", perSecond)
        : "as fast as they can";
  }

  @Override
  public OptionalLong size() {
    return OptionalLong.empty();
  }
}
