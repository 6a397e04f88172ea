package dev.warmshelf.measure.survey;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseWork.Done;
import dev.warmshelf.measure.database.SystemPath;
import dev.warmshelf.postgres.driver.SqlState;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.Map;
import org.jspecify.annotations.Nullable;

/**
 * What a database has counted by a moment: executions by text ({@code pg_stat_statements}), changed
 * rows by table ({@code pg_stat_user_tables}, partitions with the table that they are part of).
 *
 * @param nanos of this process's clock
 * @param hidden executions whose text this role may not see
 * @param epoch changes when counting has begun anew
 * @param forgotten how often texts were forgotten for want of room
 */
record Statistics(
    Instant at,
    long nanos,
    Map<String, Done> work,
    Map<Lane, Long> changedRows,
    long hidden,
    String epoch,
    long forgotten) {
  private static final String HIDDEN = "<insufficient privilege>";
  private static final String WHERE =
      """
      SELECT quote_ident(n.nspname), current_setting('track_counts')::bool, pg_is_in_recovery()
      FROM pg_extension e JOIN pg_namespace n ON n.oid = e.extnamespace
      WHERE e.extname = 'pg_stat_statements'
      """;

  private static final String WORK =
      """
      SELECT coalesce(query, ''), sum(calls), sum(rows), (sum(total_exec_time) * 1e6)::bigint,
             sum(shared_blks_hit), sum(shared_blks_read)
      FROM {there}.pg_stat_statements
      WHERE toplevel AND dbid = (SELECT oid FROM pg_database WHERE datname = current_database())
      GROUP BY 1
      """;

  private static final String SINCE =
      "SELECT clock_timestamp(), coalesce(stats_reset::text, ''), dealloc"
          + " FROM {there}.pg_stat_statements_info";

  private static final String CHANGED =
      """
      SELECT n.nspname, c.relname, sum(t.n_tup_ins + t.n_tup_upd + t.n_tup_del)
      FROM pg_stat_user_tables t
           JOIN pg_class c ON c.oid = coalesce(pg_partition_root(t.relid), t.relid)
           JOIN pg_namespace n ON n.oid = c.relnamespace
      GROUP BY n.nspname, c.relname
      """;

  /**
   * Reads them.
   *
   * @throws SQLException if the database could not be asked
   * @throws SurveyException if it does not count
   */
  static Statistics of(Connection connection) throws SQLException, SurveyException {
    try (SystemPath ignored = SystemPath.on(connection)) {
      return read(connection);
    }
  }

  private static Statistics read(Connection connection) throws SQLException, SurveyException {
    String schema = where(connection);
    Map<String, Done> work = new HashMap<>();
    try (Statement asked = connection.createStatement()) {
      Instant at;
      String epoch;
      long forgotten;
      try (ResultSet row = asked.executeQuery(SINCE.replace("{there}", schema))) {
        row.next();
        at = row.getTimestamp(1).toInstant();
        epoch = row.getString(2);
        forgotten = row.getLong(3);
      }
      try (ResultSet row = asked.executeQuery(WORK.replace("{there}", schema))) {
        while (row.next()) {
          work.merge(row.getString(1), done(row), Done::and);
        }
      }
      Done hidden = work.remove(HIDDEN);
      return new Statistics(
          at,
          System.nanoTime(),
          work,
          changedRows(asked),
          hidden == null ? 0 : hidden.calls(),
          epoch,
          forgotten);
    } catch (SQLException e) {
      throw inWords(e);
    }
  }

  private static SQLException inWords(SQLException e) throws SurveyException {
    if (SqlState.OBJECT_NOT_IN_PREREQUISITE_STATE.isOf(e)) {
      throw new SurveyException(
          "pg_stat_statements is created, but the server has not loaded it: add it to"
              + " shared_preload_libraries, and restart the server.");
    } else if (SqlState.UNDEFINED_COLUMN.isOf(e)) {
      throw new SurveyException(
          "pg_stat_statements is of an older version than the server: run ALTER EXTENSION"
              + " pg_stat_statements UPDATE in this database.");
    }
    return e;
  }

  private static String where(Connection connection) throws SQLException, SurveyException {
    try (PreparedStatement asked = connection.prepareStatement(WHERE);
        ResultSet row = asked.executeQuery()) {
      if (!row.next()) {
        throw new SurveyException(
            "This database does not count its statements: add pg_stat_statements to"
                + " shared_preload_libraries, restart the server, and run CREATE EXTENSION"
                + " pg_stat_statements in this database.");
      } else if (!row.getBoolean(2)) {
        throw new SurveyException(
            "This database does not count changed rows: track_counts is off; turn it on.");
      }
      if (row.getBoolean(3)) {
        throw new SurveyException(
            "This server is a standby, which does not let itself be asked what statements depend on:"
                + " survey the primary.");
      }
      return row.getString(1);
    }
  }

  private static Done done(ResultSet row) throws SQLException {
    return new Done(row.getLong(2), row.getLong(3), row.getLong(4), row.getLong(5), row.getLong(6));
  }

  private static Map<Lane, Long> changedRows(Statement asked) throws SQLException {
    Map<Lane, Long> changed = new HashMap<>();
    try (ResultSet row = asked.executeQuery(CHANGED)) {
      while (row.next()) {
        changed.put(Lane.ofTable(row.getString(1), row.getString(2)), row.getLong(3));
      }
    }
    return changed;
  }

  /** How long it is since an earlier reading. */
  Duration since(Statistics before) {
    return Duration.ofNanos(Math.max(1, nanos - before.nanos));
  }

  /** What was done since an earlier reading, of the texts that were executed. */
  Map<String, Done> workSince(Statistics before) {
    Map<String, Done> since = new HashMap<>();
    work.forEach(
        (text, done) -> {
          Done earlier = before.work.getOrDefault(text, Done.NOTHING);
          // one that was forgotten meanwhile counts from nothing again
          Done more = done.calls() >= earlier.calls() ? done.since(earlier) : done;
          if (more.calls() > 0) {
            since.put(text, more);
          }
        });
    return since;
  }

  /** Rows that were changed since an earlier reading; null if nobody counts them. */
  @Nullable Long changedSince(Statistics before, Lane table) {
    Long now = changedRows.get(table);
    return now == null ? null : Math.max(0, now - before.changedRows.getOrDefault(table, 0L));
  }
}
