package dev.warmshelf.cli.measure;

import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.scenario.Zipf;
import java.util.SplittableRandom;

/**
 * An endless stream of requests from a seed: the same seed and size give the same stream.
 * Popularity is Zipf: most people look at the next days of the big ports. Departures are asked for
 * most, the occupancy report rarely.
 *
 * <p>For one thread.
 */
final class RequestStream {
  private static final Zipf ROUTES = new Zipf(SkerryLine.ROUTES, 1.0);
  private static final Zipf PORTS = new Zipf(SkerryLine.PORTS, 1.2);

  private final SplittableRandom random;
  private final int sailings;
  private final int days;
  private final Zipf popularSailings;
  private final Zipf popularDays;

  RequestStream(long seed, Company company) {
    this.random = new SplittableRandom(seed);
    this.sailings = company.sailings();
    this.days = company.days();
    this.popularSailings = new Zipf(Math.min(sailings, 5_000), 1.2);
    this.popularDays = new Zipf(days, 1.5);
  }

  Request next() {
    int dice = random.nextInt(1_000);
    if (dice < 500) {
      return Request.departures(
          1 + PORTS.draw(random), Scale.FIRST_DAY.plusDays(popularDays.draw(random)));
    } else if (dice < 750) {
      return Request.sailing(
          1 + popularSailings.draw(random), "session-" + random.nextInt(SkerryLine.AGENTS));
    } else if (dice < 996) {
      return Request.notices(1 + PORTS.draw(random));
    }
    return Request.occupancy(1 + ROUTES.draw(random));
  }
}
