package dev.warmshelf.scenario;

import dev.warmshelf.trial.Zipf;
import java.io.IOException;
import java.io.InputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.OffsetDateTime;
import java.time.YearMonth;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.function.IntFunction;
import javax.sql.DataSource;
import org.postgresql.PGConnection;
import org.postgresql.copy.CopyIn;

/**
 * Makes the company's tables and fills them. The same scale gives the same rows, everywhere and
 * always.
 */
public final class SkerryLine {
  /** All tables, in the order in which they are loaded. */
  public static final List<String> TABLES =
      List.of(
          "port",
          "vessel_class",
          "vessel",
          "fare_band",
          "route",
          "sailing",
          "agent",
          "booking",
          "notice");

  /**
   * The tables with the columns that their changes are told apart by, as the journal takes them.
   */
  public static final List<String> FOLLOWED =
      List.of(
          "port",
          "vessel_class",
          "vessel",
          "fare_band",
          "route",
          "sailing:id,day,route_id",
          "agent",
          "booking:sailing_id,agent_id",
          "notice:port_id");

  public static final int PORTS = 40;
  public static final int ROUTES = 70;
  public static final int AGENTS = 400;
  static final int VESSELS = 24;
  private static final int CLASSES = 6;
  private static final int NOTICES = 3_000;
  private static final long SEED = 20260501L;
  private static final int DAYS_BOOKED_AHEAD = 60;
  private static final String[] ISLANDS = {"Norra", "Sundra", "Vestra", "Ostra", "Midra"};
  private static final String[] SEASONS = {"spring", "summer", "autumn", "winter", "feast"};
  private static final String[] VEHICLES = {
    "foot",
    "bicycle",
    "motorcycle",
    "car",
    "car and trailer",
    "van",
    "camper",
    "coach",
    "lorry",
    "lorry and trailer",
    "tractor",
    "livestock"
  };

  private final Scale scale;
  private final Progress progress;

  /** The sailings of each route, by index; bookings are drawn by route and then by sailing. */
  private final List<List<Integer>> sailingsOfRoute = new ArrayList<>();

  /** Told how far the load is. */
  @FunctionalInterface
  public interface Progress {
    /** So many rows of a table are there. */
    void rows(String table, int done, int all);
  }

  private SkerryLine(Scale scale, Progress progress) {
    this.scale = scale;
    this.progress = progress;
    for (int route = 0; route < ROUTES; route++) {
      sailingsOfRoute.add(new ArrayList<>());
    }
  }

  /**
   * Fills a database with {@link Scale#TINY}: what tests, benchmarks and examples begin with.
   *
   * @throws SQLException if the database could not be asked
   */
  public static void loadTiny(DataSource database) throws SQLException {
    try (Connection connection = database.getConnection()) {
      load(connection, Scale.TINY, (table, done, all) -> {});
    }
  }

  /**
   * Creates and fills the tables in the connection's current schema, which must not have them yet.
   *
   * @throws SQLException if the database could not be asked
   */
  public static void load(Connection connection, Scale scale, Progress progress)
      throws SQLException {
    new SkerryLine(scale, progress).load(connection);
  }

  /** The statements that make the tables, empty. */
  public static String schema() {
    return resource("tables.sql")
        + ";\nCREATE TABLE booking_other PARTITION OF booking DEFAULT;\n"
        + resource("indexes.sql");
  }

  /** The demo's workload: what the pages ask, and who changes what meanwhile. */
  public static String workload() {
    return resource("skerry-line.yaml");
  }

  private void load(Connection connection) throws SQLException {
    run(connection, "tables.sql");
    makePartitions(connection);
    loadSmallTables(connection);
    loadSailings(connection);
    loadBookings(connection);
    run(connection, "indexes.sql");
    try (Statement statement = connection.createStatement()) {
      statement.execute(
          "SELECT setval(pg_get_serial_sequence('booking', 'id'), max(id)) FROM booking");
      statement.execute("VACUUM ANALYZE");
    }
  }

  private void makePartitions(Connection connection) throws SQLException {
    YearMonth month = YearMonth.from(Scale.FIRST_DAY.minusDays(DAYS_BOOKED_AHEAD));
    YearMonth last = YearMonth.from(Scale.FIRST_DAY.plusDays(scale.days()));
    try (Statement statement = connection.createStatement()) {
      for (; !month.isAfter(last); month = month.plusMonths(1)) {
        statement.execute(
            String.format(
                "CREATE TABLE booking_%tY_%<tm PARTITION OF booking"
                    + " FOR VALUES FROM ('%s-01Z') TO ('%s-01Z')",
                month.atDay(1), month, month.plusMonths(1)));
      }
      statement.execute("CREATE TABLE booking_other PARTITION OF booking DEFAULT");
    }
  }

  private void loadSmallTables(Connection connection) throws SQLException {
    Names names = new Names(SEED);
    SplittableRandom random = new SplittableRandom(SEED + 1);
    loadPorts(connection, names, random);
    loadVessels(connection, names, random);
    loadRoutes(connection, random);
    loadAgentsAndNotices(connection, names, random);
  }

  private void loadPorts(Connection connection, Names names, SplittableRandom random)
      throws SQLException {
    copy(
        connection,
        "port",
        PORTS,
        i -> {
          String name = names.next();
          String status = random.nextInt(10) == 0 ? "CLOSED" : "OPEN";
          return row(i + 1, names.codeOf(name), name, ISLANDS[i % ISLANDS.length], status);
        });
  }

  private void loadVessels(Connection connection, Names names, SplittableRandom random)
      throws SQLException {
    copy(connection, "vessel_class", CLASSES, i -> row(i + 1, "Class " + (char) ('A' + i)));
    copy(
        connection,
        "vessel",
        VESSELS,
        i ->
            row(
                i + 1,
                1 + i % CLASSES,
                "MF " + names.next(),
                240 + 60 * (i % CLASSES) + random.nextInt(30),
                200 + 100 * (i % CLASSES)));
    copy(
        connection,
        "fare_band",
        SEASONS.length * VEHICLES.length,
        i ->
            row(
                i + 1,
                SEASONS[i / VEHICLES.length],
                VEHICLES[i % VEHICLES.length],
                900 + 1_100 * (i % VEHICLES.length) + random.nextInt(400)));
  }

  private void loadRoutes(Connection connection, SplittableRandom random) throws SQLException {
    copy(
        connection,
        "route",
        ROUTES,
        i -> {
          // Routes come in order of popularity, and two ports are where most of them begin.
          int from = i < 24 ? i % 2 : i % PORTS;
          int to = (from + 1 + random.nextInt(PORTS - 1)) % PORTS;
          return row(i + 1, from + 1, to + 1, 25 + random.nextInt(200));
        });
  }

  private void loadAgentsAndNotices(Connection connection, Names names, SplittableRandom random)
      throws SQLException {
    copy(
        connection,
        "agent",
        AGENTS,
        i -> row(i + 1, "Office " + names.next(), "0.0" + (20 + random.nextInt(60))));
    copy(
        connection,
        "notice",
        NOTICES,
        i ->
            row(
                i + 1,
                1 + i % PORTS,
                random.nextInt(8) == 0 ? "WARNING" : "INFORMATION",
                "Ramp " + (1 + random.nextInt(4)) + " is served from gate " + random.nextInt(20),
                1));
  }

  private void loadSailings(Connection connection) throws SQLException {
    SplittableRandom random = new SplittableRandom(SEED + 2);
    Zipf popularity = new Zipf(ROUTES, 1.0);
    copy(
        connection,
        "sailing",
        scale.sailings(),
        i -> {
          LocalDate day = Scale.FIRST_DAY.plusDays(i / Scale.SAILINGS_PER_DAY);
          OffsetDateTime leaves =
              day.atTime(LocalTime.of(5, 0))
                  .plusMinutes(random.nextInt(17 * 12) * 5L)
                  .atOffset(ZoneOffset.UTC);
          String status = random.nextInt(40) == 0 ? "DELAYED" : "OPEN";
          int route = popularity.draw(random);
          sailingsOfRoute.get(route).add(i);
          return row(i + 1, 1 + route, 1 + random.nextInt(VESSELS), leaves, day, status, 1);
        });
  }

  private void loadBookings(Connection connection) throws SQLException {
    SplittableRandom random = new SplittableRandom(SEED + 3);
    Zipf agents = new Zipf(AGENTS, 0.8);
    Zipf routes = new Zipf(ROUTES, 1.2);
    copy(
        connection,
        "booking",
        scale.bookings(),
        i -> {
          int sailing = sailingBooked(routes, random);
          LocalDate leaves = Scale.FIRST_DAY.plusDays(sailing / Scale.SAILINGS_PER_DAY);
          OffsetDateTime booked =
              leaves
                  .minusDays(random.nextInt(DAYS_BOOKED_AHEAD))
                  .atTime(random.nextInt(24), random.nextInt(60))
                  .atOffset(ZoneOffset.UTC);
          int decimetres = random.nextBoolean() ? 0 : 20 + random.nextInt(40);
          return row(
              i + 1,
              sailing + 1,
              1 + agents.draw(random),
              decimetres / 10 + "." + decimetres % 10,
              1 + random.nextInt(5),
              1_500 + 90 * decimetres,
              random.nextInt(12) == 0 ? "CANCELLED" : "HELD",
              booked,
              0);
        });
  }

  private int sailingBooked(Zipf routes, SplittableRandom random) {
    List<Integer> sailings;
    do {
      sailings = sailingsOfRoute.get(routes.draw(random));
    } while (sailings.isEmpty());
    return sailings.get(random.nextInt(sailings.size()));
  }

  private void copy(Connection connection, String table, int rows, IntFunction<String> rowAt)
      throws SQLException {
    CopyIn copy =
        connection.unwrap(PGConnection.class).getCopyAPI().copyIn("COPY " + table + " FROM STDIN");
    StringBuilder buffer = new StringBuilder();
    for (int i = 0; i < rows; i++) {
      buffer.append(rowAt.apply(i));
      if (buffer.length() > 1 << 16) {
        send(copy, buffer);
        progress.rows(table, i + 1, rows);
      }
    }
    send(copy, buffer);
    copy.endCopy();
    progress.rows(table, rows, rows);
  }

  private static void send(CopyIn copy, StringBuilder buffer) throws SQLException {
    byte[] bytes = buffer.toString().getBytes(StandardCharsets.UTF_8);
    copy.writeToCopy(bytes, 0, bytes.length);
    buffer.setLength(0);
  }

  /** One line of COPY's text format; none of our values needs escaping. */
  private static String row(Object... values) {
    StringBuilder line = new StringBuilder();
    for (Object value : values) {
      line.append(line.isEmpty() ? "" : "\t").append(value);
    }
    return line.append('\n').toString();
  }

  private static void run(Connection connection, String resource) throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute(resource(resource));
    }
  }

  private static String resource(String name) {
    try (InputStream in = SkerryLine.class.getResourceAsStream(name)) {
      if (in == null) {
        throw new IllegalStateException("The resource " + name + " is missing from the build.");
      }
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
