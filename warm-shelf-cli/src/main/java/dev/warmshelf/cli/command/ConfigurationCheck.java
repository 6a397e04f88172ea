package dev.warmshelf.cli.command;

import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.cli.screen.Failure;
import dev.warmshelf.config.Configuration;
import dev.warmshelf.config.ConfigurationException;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.SystemPath;
import dev.warmshelf.measure.text.ShellText;
import dev.warmshelf.measure.workload.RecordedStatements.Recorded;
import dev.warmshelf.shelf.Prospect;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.spi.feed.FeedException;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStoreException;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.Collectors;

/** What a database says of a configuration. */
final class ConfigurationCheck {
  /** The feed's, the shared store's, and some for reads. */
  private static final int CONNECTIONS = 9;

  private static final String NOT_TO_BE_READ =
      """
      SELECT c.oid::regclass::text, current_user::text
      FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
      WHERE c.relkind IN ('r', 'p') AND n.nspname !~ '^pg_'
        AND (c.relname = ANY (?) OR n.nspname || '.' || c.relname = ANY (?))
        AND NOT has_table_privilege(c.oid, 'SELECT')
      ORDER BY 1
      """;

  private final Configuration read;
  private final List<String> problems = new ArrayList<>();
  private final List<Judged> judged = new ArrayList<>();

  /** A recorded statement, and what would become of it. */
  record Judged(Recorded recorded, Prospect prospect) {}

  private ConfigurationCheck(Configuration read) {
    this.read = read;
  }

  /**
   * Opens the shelves over a database, and closes them again.
   *
   * @param recorded what the program asks, to be judged
   * @throws Failure if the database cannot be asked
   */
  static ConfigurationCheck of(
      Configuration read, DatabaseOptions database, List<Recorded> recorded) throws Failure {
    ConfigurationCheck check = new ConfigurationCheck(read);
    try (HikariDataSource pool = database.pool(CONNECTIONS)) {
      if (check.opens(pool, recorded)) {
        check.coverage(pool);
        check.rights(pool);
      }
      check.shared(pool);
    } catch (SQLException e) {
      throw Failure.of(e);
    }
    return check;
  }

  /** What is wrong. */
  List<String> problems() {
    return problems;
  }

  /** The recorded statements, judged. */
  List<Judged> judged() {
    return judged;
  }

  /** The rules that fit none of them. */
  List<Rule> idle() {
    Set<String> used =
        judged.stream()
            .flatMap(each -> each.prospect().rule().stream())
            .map(Rule::toString)
            .collect(Collectors.toSet());
    return read.rules().stream().filter(rule -> !used.contains(rule.toString())).toList();
  }

  private boolean opens(HikariDataSource pool, List<Recorded> recorded) {
    try (WarmShelf warm = read.over(pool).coldStart().open()) {
      warm.dataSource();
      for (Recorded each : recorded) {
        judge(each, warm.prospect(each.sql()));
      }
      return true;
    } catch (ConfigurationException e) {
      problems.addAll(e.mistakes());
    } catch (FeedException | SQLException e) {
      problems.add(Failure.inOneLine(e));
    }
    return false;
  }

  /** Who names one statement means it to be kept; who names tables, what can be. */
  private void judge(Recorded recorded, Prospect prospect) {
    judged.add(new Judged(recorded, prospect));
    prospect
        .rule()
        .filter(rule -> rule.keeps() && rule.tables().isEmpty() && !prospect.isKept())
        .ifPresent(
            rule ->
                problems.add(
                    "the rule '"
                        + rule
                        + "' fits a statement that nothing can be kept of, form "
                        + prospect.formDigest()
                        + ": "
                        + prospect.refusal()));
  }

  private void coverage(HikariDataSource pool) throws SQLException {
    Set<String> followed =
        Journal.on(pool).covered().stream()
            .map(Lane::tableNames)
            .flatMap(Set::stream)
            .collect(Collectors.toSet());
    for (String table : tables()) {
      if (!followed.contains(table)) {
        problems.add(
            "the journal does not follow the table '"
                + table
                + "', which a rule names, so nothing that reads it is kept; follow it with: shelf"
                + " feed install "
                + ShellText.quoted(table));
      }
    }
  }

  private void shared(HikariDataSource pool) {
    Optional<Sharing> sharing = read.sharing(pool);
    if (sharing.isPresent()) {
      try (SharedStore store = sharing.get().store()) {
        store.check();
      } catch (SharedStoreException e) {
        problems.add("the shared store cannot be used: " + e.getMessage() + ".");
      }
    }
  }

  private void rights(HikariDataSource pool) throws SQLException {
    try (Connection connection = pool.getConnection();
        SystemPath ignored = SystemPath.on(connection);
        PreparedStatement asked = connection.prepareStatement(NOT_TO_BE_READ)) {
      String[] named = tables().toArray(new String[0]);
      asked.setArray(1, connection.createArrayOf("text", named));
      asked.setArray(2, connection.createArrayOf("text", named));
      try (ResultSet row = asked.executeQuery()) {
        while (row.next()) {
          String table = row.getString(1);
          String role = row.getString(2);
          problems.add(
              "the role '"
                  + role
                  + "' may not read the table '"
                  + table
                  + "', which a rule names; if it is the program's, GRANT SELECT ON "
                  + table
                  + " TO "
                  + role
                  + ".");
        }
      }
    }
  }

  private Set<String> tables() {
    return read.rules().stream()
        .flatMap(rule -> rule.tables().stream())
        .collect(Collectors.toCollection(TreeSet::new));
  }
}
