package dev.warmshelf.repository;

import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/** A repository as programs have them, and an implementation of it that knows plain JDBC. */
public interface Harbour extends Finding<Harbour.Port, Integer> {

  /** A row. */
  record Port(int id, String name, String island) {}

  /** To ask by several things at once. */
  record Wanted(String island, Optional<String> status) {}

  /** Its own. */
  final class NoSuchPort extends Exception {
    private static final long serialVersionUID = 1;

    NoSuchPort(int id) {
      super("There is no port " + id + ".");
    }
  }

  @Kept
  Optional<Port> maybe(int id) throws SQLException;

  @Kept
  List<Port> on(Wanted wanted) throws SQLException;

  @Kept(on = "other")
  long booked(int sailing) throws SQLException;

  @Kept
  String[] codes() throws SQLException;

  @Kept
  Stream<String> islands() throws SQLException;

  @Kept
  Map<Integer, String> names() throws SQLException;

  @Kept(leavingOut = "trace")
  @Nullable String status(int id, String trace) throws SQLException;

  @Kept
  Port require(int id) throws SQLException, NoSuchPort;

  @Kept
  default String label(int id) throws SQLException, NoSuchPort {
    return require(id).name() + " (" + maybe(id).orElseThrow().island() + ")";
  }

  @Drops(
      value = {"maybe", "require", "names"},
      andFills = true)
  int rename(int id, String name) throws SQLException;

  @Drops("booked")
  int book(int sailing, int seats) throws SQLException;

  /** Plain JDBC, with no thought of any shelf. */
  static Harbour of(DataSource source) {
    return new ByJdbc(source);
  }

  /** The implementation. */
  final class ByJdbc implements Harbour {
    private static final String PORTS = "SELECT id, name, island FROM port ";
    private final DataSource source;

    ByJdbc(DataSource source) {
      this.source = source;
    }

    private interface Row<T> {
      T of(ResultSet row) throws SQLException;
    }

    private <T> List<T> all(String sql, Row<T> row, Object... values) throws SQLException {
      try (Connection connection = source.getConnection();
          PreparedStatement statement = connection.prepareStatement(sql)) {
        for (int i = 0; i < values.length; i++) {
          statement.setObject(i + 1, values[i]);
        }
        try (ResultSet rows = statement.executeQuery()) {
          List<T> all = new ArrayList<>();
          while (rows.next()) {
            all.add(row.of(rows));
          }
          return all;
        }
      }
    }

    private int change(String sql, Object... values) throws SQLException {
      try (Connection connection = source.getConnection();
          PreparedStatement statement = connection.prepareStatement(sql)) {
        for (int i = 0; i < values.length; i++) {
          statement.setObject(i + 1, values[i]);
        }
        return statement.executeUpdate();
      }
    }

    private static Port port(ResultSet row) throws SQLException {
      return new Port(row.getInt("id"), row.getString("name"), row.getString("island"));
    }

    @Override
    public Port find(Integer id) throws SQLException {
      return all(PORTS + "WHERE id = ?", ByJdbc::port, id).stream().findFirst().orElse(null);
    }

    @Override
    public Optional<Port> maybe(int id) throws SQLException {
      return Optional.ofNullable(find(id));
    }

    @Override
    public List<Port> on(Wanted wanted) throws SQLException {
      return wanted.status().isPresent()
          ? all(
              PORTS + "WHERE island = ? AND status = ? ORDER BY id",
              ByJdbc::port,
              wanted.island(),
              wanted.status().get())
          : all(PORTS + "WHERE island = ? ORDER BY id", ByJdbc::port, wanted.island());
    }

    @Override
    public long booked(int sailing) throws SQLException {
      return all(
              "SELECT coalesce(sum(seats), 0) FROM booking WHERE sailing_id = ?",
              row -> row.getLong(1),
              sailing)
          .get(0);
    }

    @Override
    public String[] codes() throws SQLException {
      return all("SELECT code FROM port ORDER BY id", row -> row.getString(1))
          .toArray(new String[0]);
    }

    @Override
    public Stream<String> islands() throws SQLException {
      return all("SELECT DISTINCT island FROM port ORDER BY 1", row -> row.getString(1)).stream();
    }

    @Override
    public Map<Integer, String> names() throws SQLException {
      Map<Integer, String> names = new LinkedHashMap<>();
      all(PORTS + "ORDER BY id", ByJdbc::port).forEach(port -> names.put(port.id(), port.name()));
      return names;
    }

    @Override
    public @Nullable String status(int id, String trace) throws SQLException {
      return all("SELECT nullif(status, 'OPEN') FROM port WHERE id = ?", r -> r.getString(1), id)
          .get(0);
    }

    @Override
    public Port require(int id) throws SQLException, NoSuchPort {
      Port found = find(id);
      if (found == null) {
        throw new NoSuchPort(id);
      }
      return found;
    }

    @Override
    public int rename(int id, String name) throws SQLException {
      return change("UPDATE port SET name = ? WHERE id = ?", name, id);
    }

    @Override
    public int book(int sailing, int seats) throws SQLException {
      return change("UPDATE booking SET seats = seats + ? WHERE sailing_id = ?", seats, sailing);
    }
  }
}
