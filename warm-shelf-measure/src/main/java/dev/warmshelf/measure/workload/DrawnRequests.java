package dev.warmshelf.measure.workload;

import dev.warmshelf.base.Sha256;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.random.RandomGenerator;

/**
 * Endless requests drawn from a workload: the same seed and the same bounds give the same stream.
 *
 * <p>In an open loop they come at random, each moment alike (a Poisson process: the gaps are
 * exponential), whatever has become of the requests before.
 */
public final class DrawnRequests implements Requests {
  private static final int DIGESTED = 10_000;

  private final RandomGenerator random;
  private final Statements statements;
  private final double perNano;

  private DrawnRequests(long seed, Statements statements, double perSecond) {
    this.random = new SplittableRandom(seed);
    this.statements = statements;
    this.perNano = perSecond / TimeUnit.SECONDS.toNanos(1);
  }

  @Override
  public Paced next() {
    Request request = statements.next(random);
    long gap = perNano == 0 ? 0 : Math.round(-Math.log(1 - random.nextDouble()) / perNano);
    return new Paced(request, gap);
  }

  /** Draws statements of one list by their weights, with their inputs. Immutable. */
  public static final class Statements {
    private final List<Workload.Statement> statements;
    private final List<Map<String, Input.Draw>> draws = new ArrayList<>();
    private final double[] upTo;

    private Statements(List<Workload.Statement> statements, Connection connection)
        throws SQLException {
      this.statements = statements;
      this.upTo = new double[statements.size()];
      double sum = 0;
      for (int i = 0; i < upTo.length; i++) {
        sum += statements.get(i).weight();
        upTo[i] = sum;
        Map<String, Input.Draw> inputs = new LinkedHashMap<>();
        for (Map.Entry<String, Input> input : statements.get(i).inputs().entrySet()) {
          inputs.put(input.getKey(), input.getValue().on(connection));
        }
        draws.add(inputs);
      }
    }

    /**
     * Asks the database for the bounds of all inputs.
     *
     * @throws SQLException if the database could not be asked
     */
    public static Statements of(List<Workload.Statement> statements, Connection connection)
        throws SQLException {
      return new Statements(statements, connection);
    }

    /** The next request. */
    public Request next(RandomGenerator random) {
      double at = random.nextDouble() * upTo[upTo.length - 1];
      int chosen = 0;
      while (upTo[chosen] <= at && chosen < upTo.length - 1) {
        chosen++;
      }
      return request(chosen, random);
    }

    /** One request of each statement, with its most popular inputs or others. */
    List<Request> samples(RandomGenerator random) {
      List<Request> samples = new ArrayList<>();
      for (int i = 0; i < upTo.length; i++) {
        samples.add(request(i, random));
      }
      return samples;
    }

    /** Endless requests. */
    DrawnRequests stream(long seed, double perSecond) {
      return new DrawnRequests(seed, this, perSecond);
    }

    private Request request(int chosen, RandomGenerator random) {
      Map<String, Object> inputs = new LinkedHashMap<>();
      draws.get(chosen).forEach((name, draw) -> inputs.put(name, draw.next(random)));
      return new Request(statements.get(chosen), inputs);
    }
  }

  /**
   * Names a stream, so that two runs can be seen to ask the same: SHA-256 over the first {@value
   * #DIGESTED} requests of each reader, shortened to 16 digits.
   */
  public static String digest(List<? extends Requests> streams) {
    MessageDigest sha256 = Sha256.begin();
    for (Requests stream : streams) {
      for (int i = 0; i < DIGESTED; i++) {
        Paced paced = stream.next();
        if (paced == null) {
          break;
        }
        String line =
            paced.request().query().label() + paced.request().inputs() + paced.gapNanos() + "\n";
        sha256.update(line.getBytes(StandardCharsets.UTF_8));
      }
    }
    return HexFormat.of().formatHex(sha256.digest()).substring(0, 16);
  }
}
