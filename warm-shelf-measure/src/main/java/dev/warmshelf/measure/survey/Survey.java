package dev.warmshelf.measure.survey;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseWork.Done;
import dev.warmshelf.measure.database.IndexAdvice;
import dev.warmshelf.measure.survey.SurveyedStatement.Advice;
import dev.warmshelf.measure.survey.SurveyedStatement.Judged;
import dev.warmshelf.measure.survey.SurveyedStatement.Keepable;
import dev.warmshelf.measure.survey.SurveyedStatement.Refused;
import dev.warmshelf.measure.text.DatabaseErrors;
import dev.warmshelf.measure.text.Text;
import dev.warmshelf.plan.FootprintPlan.Reach;
import dev.warmshelf.postgres.analysis.Analyser;
import dev.warmshelf.statement.Analysed;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.text.SqlTextException;
import java.sql.Connection;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;

/**
 * Which reads of a database are worth keeping, by its own statistics, read twice: nothing of ours
 * needs to be in the program, nor in the database, and no statement of the program is executed.
 *
 * <p>Needs PostgreSQL 14 or later with the extension {@code pg_stat_statements}, and a role that
 * may read others' statistics ({@code pg_read_all_stats}), may make temporary objects, and may read
 * the tables: without the latter it cannot tell how many different values a column has, nor how the
 * server reads.
 *
 * <p>For one thread.
 */
public final class Survey {
  /** Statements beyond these are not looked at. */
  private static final int MOST = 500;

  private static final Asked NOTHING_KNOWN =
      new Asked(OptionalDouble.empty(), OptionalDouble.empty());

  /** Reads that the library makes itself. */
  private static final Pattern OWN = Pattern.compile("warm_shelf|pg_stat_statements");

  private final DataSource dataSource;
  private final Duration kept;
  private final Statistics before;

  private Survey(DataSource dataSource, Duration kept, Statistics before) {
    this.dataSource = dataSource;
    this.kept = kept;
    this.before = before;
  }

  /** Told how far it is. */
  @FunctionalInterface
  public interface Progress {
    /** So many statements have been looked at. */
    void looked(int done, int all);
  }

  /**
   * Reads the statistics a first time.
   *
   * @param kept for how long answers would be kept at most, whatever changes; a policy's usual time
   *     is ten minutes
   * @throws SQLException if the database could not be asked
   * @throws SurveyException if it does not count what is needed
   */
  public static Survey begin(DataSource dataSource, Duration kept)
      throws SQLException, SurveyException {
    try (Connection connection = dataSource.getConnection()) {
      return new Survey(dataSource, kept, Statistics.of(connection));
    }
  }

  /**
   * Reads them again, and looks at what was executed meanwhile. Takes some milliseconds a
   * statement.
   *
   * @throws SQLException if the database could not be asked
   * @throws SurveyException if counting was begun anew meanwhile
   */
  public Surveyed end(Progress progress) throws SQLException, SurveyException {
    try (Connection connection = dataSource.getConnection()) {
      Statistics now = Statistics.of(connection);
      if (!now.epoch().equals(before.epoch())) {
        throw new SurveyException(
            "The statistics were reset meanwhile, so nothing can be compared; begin again.");
      }
      try (Statement setting = connection.createStatement()) {
        setting.execute("SET lock_timeout = '1s'"); // we wait behind nobody's change of the schema
        try {
          return new Look(connection, now, progress).all();
        } finally {
          setting.execute("RESET lock_timeout");
        }
      }
    }
  }

  /** What was executed under one normal form. */
  private static final class Group {
    private CountedText text;
    private Done work;
    private long calls;

    Group(CountedText text, Done work) {
      this.text = text;
      this.work = work;
      this.calls = work.calls();
    }

    /** Of several texts the one that was executed most often stands for all. */
    Group and(CountedText other, Done more) {
      work = work.and(more);
      if (more.calls() > calls) {
        calls = more.calls();
        text = other;
      }
      return this;
    }
  }

  /** The statement's text and what the database says of it. */
  private record Seen(Group group, @Nullable Analysed analysed, @Nullable String refusal) {}

  /** One look at all statements. */
  private final class Look {
    private final Connection connection;
    private final Statistics now;
    private final Progress progress;
    private final Duration lasted;
    private final Writes writes;
    private final Map<String, Group> groups = new HashMap<>();
    private final Analyser analyser = new Analyser();
    private final List<String> limits = new ArrayList<>();
    private final List<String> unplanned = new ArrayList<>();
    private Done all = Done.NOTHING;
    private Done own = Done.NOTHING;

    Look(Connection connection, Statistics now, Progress progress) {
      this.connection = connection;
      this.now = now;
      this.progress = progress;
      this.lasted = now.since(before);
      Map<String, Done> work = now.workSince(before);
      this.writes = new Writes(before, now, work);
      work.forEach(this::add);
    }

    private void add(String text, Done done) {
      all = all.and(done);
      if (OWN.matcher(text).find()) {
        own = own.and(done);
        return;
      }
      CountedText counted = new CountedText(text);
      if (counted.mayRead()) {
        String same = counted.sameAs();
        Group known = groups.get(same);
        groups.put(same, known == null ? new Group(counted, done) : known.and(counted, done));
      }
    }

    Surveyed all() throws SQLException {
      List<Group> most =
          groups.values().stream()
              .sorted(
                  Comparator.comparingLong((Group each) -> each.work.nanos())
                      .reversed()
                      .thenComparing(each -> each.text.text()))
              .toList();
      List<Seen> seen = new ArrayList<>();
      for (Group each : most.subList(0, Math.min(MOST, most.size()))) {
        Seen one = seen(each);
        if (one != null) {
          seen.add(one);
        }
        progress.looked(seen.size(), Math.min(MOST, most.size()));
      }
      Distinct distinct = Distinct.of(connection, tables(seen));
      List<SurveyedStatement> statements = new ArrayList<>();
      for (Seen each : seen) {
        statements.add(judged(each, distinct));
      }
      statements.sort(
          Comparator.comparingDouble(SurveyedStatement::likelySaved)
              .thenComparingDouble(SurveyedStatement::share)
              .reversed());
      limits(most);
      return new Surveyed(
          before.at(),
          lasted,
          all,
          own,
          List.copyOf(statements),
          Analysed.proposal(worthKeeping(seen, statements)),
          List.copyOf(limits));
    }

    private static List<Analysed> worthKeeping(
        List<Seen> seen, List<SurveyedStatement> statements) {
      Set<String> worth =
          statements.stream()
              .filter(each -> each.advice() == Advice.KEEP)
              .map(SurveyedStatement::text)
              .collect(Collectors.toSet());
      List<Analysed> kept = new ArrayList<>();
      for (Seen each : seen) {
        if (each.analysed() != null && worth.contains(each.group().text.text())) {
          kept.add(each.analysed());
        }
      }
      return kept;
    }

    private static Set<Lane> tables(List<Seen> seen) {
      Set<Lane> tables = new TreeSet<>();
      for (Seen each : seen) {
        if (each.analysed() != null) {
          tables.addAll(each.analysed().analysis().columns().keySet());
        }
      }
      return tables;
    }

    private void limits(List<Group> most) {
      if (most.size() > MOST) {
        long left = most.subList(MOST, most.size()).stream().mapToLong(e -> e.work.nanos()).sum();
        limits.add(
            Text.count(most.size() - MOST)
                + " more statements were not looked at; they took "
                + Text.percent(share(left))
                + " of the time.");
      }
      if (!unplanned.isEmpty()) {
        limits.add(
            "How the server reads "
                + Text.count(unplanned.size())
                + " of them could not be seen, so whether an index would serve them better; the first: "
                + unplanned.get(0)
                + ".");
      }
      if (now.hidden() > before.hidden()) {
        limits.add(
            Text.count(now.hidden() - before.hidden())
                + " executions of other users were not seen: GRANT pg_read_all_stats TO this role.");
      }
      if (now.forgotten() > before.forgotten()) {
        limits.add(
            "The server has forgotten statements meanwhile for want of room:"
                + " raise pg_stat_statements.max.");
      }
    }

    private double share(long nanos) {
      return all.nanos() == 0 ? 0 : nanos / (double) all.nanos();
    }

    /** Null if it turns out to write. */
    private @Nullable Seen seen(Group group) throws SQLException {
      try {
        SqlStatement statement = group.text.asStatement();
        AnalysedText text = statement.analysedText(statement.unknownTypes());
        Analysis analysis = analyser.analyse(connection, statement, text);
        Refusal refusal = analysis.refusal();
        if (refusal == null) {
          return new Seen(group, new Analysed(statement, text, analysis), null);
        }
        return refusal.reason() == Refusal.Reason.CHANGES_DATA
            ? null
            : new Seen(group, null, refusal.message());
      } catch (SqlTextException e) {
        return new Seen(group, null, String.valueOf(e.getMessage()));
      } catch (SQLException e) {
        if (!connection.isValid(1)) {
          throw e;
        }
        return new Seen(group, null, "not looked at: " + DatabaseErrors.inWords(e));
      }
    }

    private SurveyedStatement judged(Seen seen, Distinct distinct) throws SQLException {
      Done work = seen.group().work;
      double share = share(work.nanos());
      Analysed analysed = seen.analysed();
      Asked asked =
          analysed == null ? NOTHING_KNOWN : Asked.of(analysed, seen.group().text, distinct);
      Optional<String> index =
          share < SurveyedStatement.LITTLE_TIME ? Optional.empty() : index(seen.group().text);
      Judged judged =
          analysed == null
              ? new Refused(String.valueOf(seen.refusal()))
              : keepable(analysed, seen.group().text, work, asked, distinct);
      return new SurveyedStatement(
          seen.group().text.text(),
          seen.group().text.form(),
          work,
          share,
          asked.most(),
          index,
          judged);
    }

    private Optional<String> index(CountedText text) throws SQLException {
      try {
        return IndexAdvice.ofGeneric(connection, text.asText());
      } catch (SQLException e) {
        if (!connection.isValid(1)) {
          throw e;
        }
        unplanned.add(DatabaseErrors.inWords(e));
        return Optional.empty();
      }
    }

    private Keepable keepable(
        Analysed analysed, CountedText text, Done work, Asked asked, Distinct distinct) {
      double perSecond = work.calls() * 1e9 / lasted.toNanos();
      double rows = work.rows() / (double) work.calls();
      List<Dependence> dependsOn = new ArrayList<>();
      Map<Lane, Double> byTable = new HashMap<>();
      for (Reach reach : analysed.finestReaches()) {
        Lane table = reach.table();
        Set<String> columns = analysed.analysis().columns().getOrDefault(table, Set.of());
        Reached reached = Reached.of(reach, analysed, text, rows, distinct);
        Writes.Rate read = writes.of(table, columns);
        double reaching = Math.min(read.times(), read.rows() * reached.part());
        dependsOn.add(
            new Dependence(table, columns, reached.inWords(), writes.of(table).times(), reaching));
        byTable.merge(table, reaching, (one, other) -> Math.min(read.times(), one + other));
      }
      double changes =
          byTable.keySet().stream().mapToDouble(table -> writes.of(table).times()).sum();
      double reaching = byTable.values().stream().mapToDouble(Double::doubleValue).sum();
      return new Keepable(
          List.copyOf(dependsOn),
          Gain.of(kept, perSecond, changes, asked),
          Gain.of(kept, perSecond, reaching, asked));
    }
  }
}
