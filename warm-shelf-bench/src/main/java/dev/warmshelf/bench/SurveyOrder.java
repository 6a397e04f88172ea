package dev.warmshelf.bench;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.answer.Binding;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.measure.survey.Survey;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.measure.survey.SurveyedStatement;
import dev.warmshelf.measure.workload.DrawnRequests;
import dev.warmshelf.measure.workload.Request;
import dev.warmshelf.measure.workload.Workload;
import dev.warmshelf.measure.workload.WorkloadFile;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.scenario.Scale;
import dev.warmshelf.scenario.SkerryLine;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.statement.SqlStatement;
import java.io.InputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.SplittableRandom;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.locks.LockSupport;
import javax.sql.DataSource;

/**
 * Whether a survey puts first what keeping saves most of: {@code SurveyOrder SECONDS}. Two
 * workloads are asked directly for so long while a survey watches, and then the same again with
 * shelves, twice, of which the second counts: what the server had less to do for each statement is
 * compared by rank with what the survey thought (Spearman).
 */
public final class SurveyOrder {
  private static final Duration KEPT = Duration.ofSeconds(45);
  private static final int READERS = 4;
  private static final int CONNECTIONS = 40;
  private static final int MOST = 10;
  private static final double FERRY_READS = 400;
  private static final double FERRY_WRITES = 4;

  private SurveyOrder() {}

  /**
   * Surveys, measures, and prints both.
   *
   * @throws Exception if a database could not be started or asked
   */
  public static void main(String[] arguments) throws Exception {
    Duration time = Duration.ofSeconds(Integer.parseInt(arguments[0]));
    try (LocalPostgres server = LocalPostgres.start()) {
      run(server, "skerry", SkerryLine.workload(), time);
      run(server, "library", resource("library.yaml"), time);
    }
  }

  private static void run(LocalPostgres server, String name, String file, Duration time)
      throws Exception {
    try (Connection admin = server.dataSource("postgres").getConnection();
        Statement statement = admin.createStatement()) {
      statement.execute("CREATE DATABASE " + name);
    }
    HikariConfig config = new HikariConfig();
    config.setDataSource(server.dataSource(name));
    config.setMaximumPoolSize(CONNECTIONS);
    try (HikariDataSource pool = new HikariDataSource(config)) {
      fill(pool, name);
      Workload workload = WorkloadFile.read(file);
      boolean ferries = name.equals("skerry");
      double reads = ferries ? FERRY_READS : workload.readsPerSecond();
      double writes = ferries ? FERRY_WRITES : workload.writesPerSecond();
      Survey before = Survey.begin(pool, KEPT);
      ask(pool, workload, reads, writes, time, request -> direct(pool, request));
      Surveyed without = before.end((done, all) -> {});
      Journal.on(pool).install(List.of());
      try (WarmShelf warm =
          WarmShelf.over(pool)
              .following(JournalFeed.on(pool))
              .shelf(WarmShelf.MAIN_SHELF, policy -> policy.ttl(KEPT))
              .open()) {
        Map<String, ShelvedQuery<?>> queries = new ConcurrentHashMap<>();
        for (Workload.Statement each : workload.queries()) {
          Recipe recipe = Recipe.plain();
          for (String input : each.leftOut()) {
            recipe = recipe.leavingOut(input);
          }
          queries.put(each.label(), warm.query(each.sql().text()).keyedBy(recipe).asMaps());
        }
        follow(pool, warm);
        ask(pool, workload, reads, writes, time, request -> kept(queries, request));
        Survey after = Survey.begin(pool, KEPT);
        ask(pool, workload, reads, writes, time, request -> kept(queries, request));
        compare(name, workload, without, after.end((done, all) -> {}));
      }
    }
  }

  private static void fill(DataSource pool, String name) throws Exception {
    try (Connection connection = pool.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute("CREATE EXTENSION pg_stat_statements");
      if (name.equals("skerry")) {
        SkerryLine.load(connection, Scale.TINY, (table, done, all) -> {});
      } else {
        for (String each : SqlStatement.split(resource("library.sql"))) {
          statement.execute(each);
        }
      }
    }
  }

  /** Has the journal tell changes apart as the program's queries need it. */
  private static void follow(DataSource pool, WarmShelf warm) throws SQLException {
    List<String> tables = new ArrayList<>();
    warm.proposedColumns()
        .forEach(
            (table, columns) ->
                tables.add(
                    table.name() + (columns.isEmpty() ? "" : ":" + String.join(",", columns))));
    Journal.on(pool).install(tables);
  }

  private interface Reader {
    void ask(Request request) throws SQLException;
  }

  private static void direct(DataSource pool, Request request) throws SQLException {
    SqlStatement sql = request.query().sql();
    try (Connection connection = pool.getConnection();
        PreparedStatement statement = connection.prepareStatement(sql.driverText())) {
      Object[] values = sql.parameters().stream().map(request.inputs()::get).toArray();
      Binding.bind(statement, values, sql.driverOrder());
      statement.execute();
    }
  }

  private static void kept(Map<String, ShelvedQuery<?>> queries, Request request)
      throws SQLException {
    Question<?> question = Objects.requireNonNull(queries.get(request.query().label())).question();
    request.inputs().forEach(question::with);
    question.list();
  }

  /** Readers and a writer, each on its own thread. */
  private static void ask(
      DataSource pool, Workload workload, double reads, double writes, Duration time, Reader reader)
      throws Exception {
    DrawnRequests.Statements queries;
    DrawnRequests.Statements changes;
    try (Connection connection = pool.getConnection()) {
      queries = DrawnRequests.Statements.of(workload.queries(), connection);
      changes = DrawnRequests.Statements.of(workload.changes(), connection);
    }
    long end = System.nanoTime() + time.toNanos();
    Thread[] threads = new Thread[READERS + 1];
    for (int i = 0; i < threads.length; i++) {
      DrawnRequests.Statements drawn = i == 0 ? changes : queries;
      double perSecond = i == 0 ? writes : reads / READERS;
      Reader asks = i == 0 ? request -> direct(pool, request) : reader;
      SplittableRandom random = new SplittableRandom(i);
      threads[i] = new Thread(() -> ask(drawn, perSecond, random, end, asks), "asks-" + i);
      threads[i].start();
    }
    for (Thread each : threads) {
      each.join();
    }
  }

  private static void ask(
      DrawnRequests.Statements drawn,
      double perSecond,
      SplittableRandom random,
      long end,
      Reader reader) {
    double due = System.nanoTime();
    while (true) {
      due += -Math.log(1 - random.nextDouble()) * 1e9 / perSecond;
      if (due > end) {
        return;
      }
      LockSupport.parkNanos((long) due - System.nanoTime());
      try {
        reader.ask(drawn.next(random));
      } catch (SQLException e) {
        throw new IllegalStateException(e);
      }
    }
  }

  /**
   * The server's time for a query with shelves: for executions of all of it, each as long as
   * without, and of what is asked for its parts.
   */
  private static double spent(Surveyed with, SurveyedStatement without, String sql) {
    double spent = 0;
    for (SurveyedStatement each : with.statements()) {
      if (each.is(sql)) {
        spent += each.work().calls() * (double) without.meanNanos();
      } else if (withoutValues(each.text()).contains(withoutValues(sql))) {
        spent += each.work().nanos();
      }
    }
    return spent;
  }

  private static String withoutValues(String sql) {
    return sql.replaceAll("\\$\\d+|(?<!:):\\w+|'[^']*'|\\b\\d+\\b", "?")
        .replaceAll("\\s+", " ")
        .strip();
  }

  private record Compared(String query, SurveyedStatement found, double saved) {}

  private static void compare(String name, Workload workload, Surveyed without, Surveyed with) {
    List<Compared> all = new ArrayList<>();
    for (SurveyedStatement each : without.statements()) {
      for (Workload.Statement query : workload.queries()) {
        if (each.is(query.sql().text()) && all.size() < MOST) {
          double saved = (each.work().nanos() - spent(with, each, query.sql().text())) / 1e6;
          all.add(new Compared(query.label(), each, saved));
        }
      }
    }
    PrintStream out = System.out;
    out.printf("%n%s, %s and %s%n", name, without.lasted(), with.lasted());
    for (Compared each : all) {
      out.printf(
          Locale.ROOT,
          "  %-20s %,9.1f ms of the server's time in %,d executions; likely saved %,9.1f, in truth"
              + " %,9.1f%n",
          each.query(),
          each.found().work().nanos() / 1e6,
          each.found().work().calls(),
          each.found().likelySaved() * without.all().nanos() / 1e6,
          each.saved());
    }
    out.printf(Locale.ROOT, "  rank correlation %.2f of %d%n", spearman(all), all.size());
  }

  /** Of the two orders, from -1 to 1. */
  private static double spearman(List<Compared> all) {
    double squares = 0;
    for (Compared each : all) {
      long rank = all.stream().filter(other -> other.saved() > each.saved()).count();
      double off = rank - all.indexOf(each);
      squares += off * off;
    }
    double n = all.size();
    return 1 - 6 * squares / (n * (n * n - 1));
  }

  private static String resource(String name) throws Exception {
    try (InputStream in =
        Objects.requireNonNull(SurveyOrder.class.getResourceAsStream(name), name)) {
      return new String(in.readAllBytes(), StandardCharsets.UTF_8);
    }
  }
}
