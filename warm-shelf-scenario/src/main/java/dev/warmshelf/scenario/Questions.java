package dev.warmshelf.scenario;

/** The expensive and the cheap questions that Skerry Line's pages ask, as SQL. */
public final class Questions {
  /** Departures of a port on a day, with the deck metres left: {@code :port}, {@code :day}. */
  public static final String DEPARTURES =
      """
      SELECT s.id, s.leaves_at, s.status, v.name AS vessel, p.name AS destination, s.version,
             coalesce(max(b.revision), 0) AS revision,
             v.deck_metres - coalesce(sum(b.metres) FILTER (WHERE b.status = 'HELD'), 0)
               AS metres_left
      FROM sailing s
           JOIN route r ON r.id = s.route_id
           JOIN vessel v ON v.id = s.vessel_id
           JOIN port p ON p.id = r.to_port
           LEFT JOIN booking b ON b.sailing_id = s.id
      WHERE r.from_port = :port AND s.day = :day
      GROUP BY s.id, v.id, p.id
      ORDER BY s.leaves_at, s.id
      """;

  /** What a route's sailings offered and sold, by month: {@code :route}. */
  public static final String OCCUPANCY =
      """
      SELECT o.month, count(*) AS sailings, sum(o.version) AS version,
             coalesce(max(o.revision), 0) AS revision, sum(o.deck_metres) AS metres_offered, sum(o.metres) AS metres_held,
             sum(o.cents) AS cents
      FROM (SELECT date_trunc('month', s.day::timestamp) AS month, s.version, v.deck_metres,
                   h.metres, h.cents, h.revision
            FROM sailing s
                 JOIN vessel v ON v.id = s.vessel_id
                 LEFT JOIN LATERAL (SELECT sum(b.metres) FILTER (WHERE b.status = 'HELD') AS metres,
                                           sum(b.cents) FILTER (WHERE b.status = 'HELD') AS cents,
                                           max(b.revision) AS revision
                                    FROM booking b
                                    WHERE b.sailing_id = s.id) h ON true
            WHERE s.route_id = :route) o
      GROUP BY o.month
      ORDER BY o.month
      """;

  /** What one agent has sold: {@code :agent}. */
  public static final String AGENT_FIGURES =
      """
      SELECT count(*) FILTER (WHERE b.status = 'HELD') AS bookings,
             sum(b.metres) FILTER (WHERE b.status = 'HELD') AS metres,
             sum(b.cents * a.commission) FILTER (WHERE b.status = 'HELD') AS earned,
             coalesce(max(b.revision), 0) AS revision
      FROM booking b JOIN agent a ON a.id = b.agent_id
      WHERE b.agent_id = :agent
      """;

  /** What the whole company has sold. */
  public static final String COMPANY_FIGURES =
      """
      SELECT count(*) FILTER (WHERE b.status = 'HELD') AS bookings,
             sum(b.metres) FILTER (WHERE b.status = 'HELD') AS metres,
             sum(b.cents) FILTER (WHERE b.status = 'HELD') AS cents,
             coalesce(max(b.revision), 0) AS revision
      FROM booking b
      """;

  /** Open sailings with room for a vehicle: {@code :from}, {@code :to}, {@code :metres}. */
  public static final String SEARCH =
      """
      SELECT s.id, s.route_id, s.leaves_at, v.deck_metres - coalesce(sum(b.metres), 0) AS metres_left
      FROM open_sailing s
           JOIN vessel v ON v.id = s.vessel_id
           LEFT JOIN booking b ON b.sailing_id = s.id AND b.status = 'HELD'
      WHERE s.route_id IN (1, 2, 3) AND s.day BETWEEN :from AND :to
      GROUP BY s.id, s.route_id, s.leaves_at, v.id
      HAVING v.deck_metres - coalesce(sum(b.metres), 0) >= :metres
      ORDER BY s.leaves_at, s.id
      """;

  /** One sailing: {@code :id}. */
  public static final String SAILING =
      "SELECT id, route_id, leaves_at, day, status, version FROM sailing WHERE id = :id";

  /** A port's notices: {@code :port}. */
  public static final String NOTICES =
      "SELECT id, severity, text, version FROM notice WHERE port_id = :port ORDER BY id";

  /** The ports of an island: {@code :island}. */
  public static final String PORTS_OF_ISLAND =
      "SELECT id, code, name, status FROM port WHERE island = :island ORDER BY name";

  /** The fares of a season: {@code :season}. */
  public static final String FARES =
      "SELECT vehicle_kind, cents FROM fare_band WHERE season = :season ORDER BY vehicle_kind";

  private Questions() {}
}
