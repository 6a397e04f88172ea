package dev.warmshelf.measure.database;

import com.fasterxml.jackson.databind.JsonNode;
import dev.warmshelf.plan.MendingPlan;
import dev.warmshelf.plan.ProbePlan;
import dev.warmshelf.plan.ProbePlan.Tied;
import dev.warmshelf.statement.PartsText;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.TiedText;
import dev.warmshelf.statement.Verdict;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * What the database has done for some statements, by its own statistics: {@code
 * pg_stat_statements}. A statement is found there by the identifier that the planner gives it,
 * which {@code EXPLAIN (VERBOSE)} shows.
 */
public final class DatabaseWork {
  private static final String ASK =
      """
      SELECT coalesce(sum(calls), 0), coalesce(sum(rows), 0),
             (coalesce(sum(total_exec_time), 0) * 1e6)::bigint,
             coalesce(sum(shared_blks_hit), 0), coalesce(sum(shared_blks_read), 0)
      FROM %s.pg_stat_statements
      WHERE queryid = ANY (?) AND dbid = (SELECT oid FROM pg_database WHERE datname = current_database())
      """;

  private static final String THERE =
      "SELECT quote_ident(n.nspname) FROM pg_extension e"
          + " JOIN pg_namespace n ON n.oid = e.extnamespace WHERE e.extname = 'pg_stat_statements'";

  private final DataSource dataSource;
  private final String ask;
  private final Long[] identifiers;

  /**
   * What has been done.
   *
   * @param calls executions
   * @param rows returned
   * @param nanos spent on executing
   * @param buffersFound blocks (of 8 KiB, unless the server was built otherwise) found in the
   *     server's own memory
   * @param buffersRead blocks that had to be read into it
   */
  public record Done(long calls, long rows, long nanos, long buffersFound, long buffersRead) {
    public static final Done NOTHING = new Done(0, 0, 0, 0, 0);

    /** This and more. */
    public Done and(Done more) {
      return new Done(
          calls + more.calls,
          rows + more.rows,
          nanos + more.nanos,
          buffersFound + more.buffersFound,
          buffersRead + more.buffersRead);
    }

    /** What has been done since then. */
    public Done since(Done before) {
      return new Done(
          calls - before.calls,
          rows - before.rows,
          nanos - before.nanos,
          buffersFound - before.buffersFound,
          buffersRead - before.buffersRead);
    }
  }

  /** A statement with values for its parameters. */
  public record Sample(SqlStatement sql, Map<String, Object> inputs) {
    private static final String PARTS = "warm_shelf_parts";

    /**
     * What is asked instead of the statement: once for each way in which its answer falls into
     * parts, and for each roster that tells which changes reach it.
     *
     * @throws SQLException if the database could not be asked how wide the answer is
     */
    public List<Sample> instead(DataSource dataSource, Verdict.Keepable kept) throws SQLException {
      List<Sample> all = new ArrayList<>();
      MendingPlan mending = kept.mending();
      if (mending != null) {
        int width = width(dataSource);
        for (MendingPlan.Division division : mending.divisions()) {
          String text = PartsText.of(sql.text(), width, division, ":" + PARTS);
          Map<String, Object> more = new HashMap<>(inputs);
          more.put(PARTS, PartsText.values(division.kind(), List.of(division.kind().example())));
          all.add(new Sample(SqlStatement.of(text), more));
        }
      }
      ProbePlan probe = kept.probe();
      for (Tied tied : probe == null ? List.<Tied>of() : probe.all(values())) {
        for (TiedText.Asked asked : List.of(TiedText.probe(tied), TiedText.roster(tied))) {
          all.add(new Sample(SqlStatement.of(asked.text()), Map.copyOf(asked.values())));
        }
      }
      return all;
    }

    /** The values in the order of the statement's parameters. */
    @Nullable Object[] values() {
      return sql.parameters().stream().map(inputs::get).toArray();
    }

    private int width(DataSource dataSource) throws SQLException {
      try (Connection connection = dataSource.getConnection();
          PreparedStatement described = connection.prepareStatement(sql.driverText())) {
        PlainJdbc.bind(described, sql, inputs);
        return described.getMetaData().getColumnCount();
      }
    }
  }

  /**
   * @param schema of the extension, as SQL writes it
   */
  private DatabaseWork(DataSource dataSource, String schema, List<Long> identifiers) {
    this.dataSource = dataSource;
    this.ask = ASK.formatted(schema);
    this.identifiers = identifiers.toArray(new Long[0]);
  }

  /**
   * The work for the given statements; empty if the database does not count.
   *
   * @throws SQLException if the database could not be asked
   */
  public static Optional<DatabaseWork> of(DataSource dataSource, Collection<Sample> statements)
      throws SQLException {
    try (Connection connection = dataSource.getConnection()) {
      String schema;
      try (SystemPath ignored = SystemPath.on(connection);
          PreparedStatement installed = connection.prepareStatement(THERE);
          ResultSet row = installed.executeQuery()) {
        if (!row.next()) {
          return Optional.empty();
        }
        schema = row.getString(1);
      }
      List<Long> identifiers = new ArrayList<>();
      for (Sample sample : statements) {
        OptionalLong identifier = identifier(connection, sample);
        if (identifier.isEmpty()) {
          return Optional.empty(); // compute_query_id is off
        }
        identifiers.add(identifier.getAsLong());
      }
      DatabaseWork work = new DatabaseWork(dataSource, schema, identifiers);
      work.done(); // says now if the extension is not loaded
      return Optional.of(work);
    }
  }

  /**
   * What has been done so far.
   *
   * @throws SQLException if the database could not be asked
   */
  public Done done() throws SQLException {
    try (Connection connection = dataSource.getConnection();
        SystemPath ignored = SystemPath.on(connection);
        PreparedStatement statement = connection.prepareStatement(ask)) {
      statement.setArray(1, connection.createArrayOf("int8", identifiers));
      try (ResultSet row = statement.executeQuery()) {
        row.next();
        return new Done(
            row.getLong(1), row.getLong(2), row.getLong(3), row.getLong(4), row.getLong(5));
      }
    }
  }

  private static OptionalLong identifier(Connection connection, Sample sample) throws SQLException {
    JsonNode plan = ExplainedPlan.of(connection, "VERBOSE", sample);
    return plan.has("Query Identifier")
        ? OptionalLong.of(plan.get("Query Identifier").asLong())
        : OptionalLong.empty();
  }
}
