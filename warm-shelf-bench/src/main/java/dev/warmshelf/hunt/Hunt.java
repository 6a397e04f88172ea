package dev.warmshelf.hunt;

import com.zaxxer.hikari.HikariConfig;
import com.zaxxer.hikari.HikariDataSource;
import dev.warmshelf.Question;
import dev.warmshelf.ShelvedQuery;
import dev.warmshelf.WarmShelf;
import dev.warmshelf.answer.Binding;
import dev.warmshelf.journal.Journal;
import dev.warmshelf.journal.JournalFeed;
import dev.warmshelf.key.ValuePlan.Place;
import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.meter.Count;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.scenario.LocalPostgres;
import dev.warmshelf.shared.PostgresStore;
import dev.warmshelf.shared.StoreSchema;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Reading;
import dev.warmshelf.shelf.Renewal;
import dev.warmshelf.shelf.Sharing;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.shelf.WarmStart;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.Verdict;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.locks.LockSupport;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;
import org.postgresql.ds.PGSimpleDataSource;

/**
 * The hunt: random statements are asked and kept, random changes are made by plain SQL on another
 * connection, and once these have been delivered whatever is served as kept must equal a direct
 * read. A seed decides everything; what is found is shrunk to the changes and conditions that it
 * needs.
 *
 * <p>{@code java -cp ... dev.warmshelf.hunt.Hunt [CHECKS [SEED [SERVER.jar [matrix]]]]}, 100,000
 * checks unless said otherwise, on the server that is brought along ({@code -}) or on one in such a
 * jar as Maven has. As a matrix, each statement is loaded, then some changes are made, then it is
 * asked again, and each is compared, whatever has become of it. Exit code 1 if anything was found.
 */
public final class Hunt implements AutoCloseable {
  private static final List<String> FOLLOWED =
      List.of(
          "node:id,k,day,name,flag,code,big,parent",
          "edge:node_id,kind",
          "part:k,day",
          "beast:k",
          "\"Odd \"\"Name\":\"k.k\",\"from\"",
          "audit",
          "mark:edge_id,kind,date,end");

  private static final Pattern PLACE = Pattern.compile("\\$(\\d+)(?:\\.\\.\\.)?");

  private static final Pattern PLANNED =
      Pattern.compile("\"Relation Name\": \"((?:[^\"\\\\]|\\\\.)*)\"");

  /** What partitions, children and a quoted name in a plan count as. */
  private static final Map<String, String> ROOTS =
      Map.of(
          "part_low", "part",
          "part_high_odd", "part",
          "part_high_rest", "part",
          "bird", "beast",
          "Odd \\\"Name", "Odd \"Name");

  private static final Renewal MENDING = Renewal.mendingFrom(Duration.ZERO);
  private static final int QUESTIONS = 40;
  private static final int PAIRS = 12;

  /** Pairs are of the first statements, so that the same ones come again. */
  private static final int FIRST = 6;

  private static final int ROUNDS_PER_EPOCH = 60;
  private static final int ROUNDS_PER_RESTART = 6;

  /**
   * Of so many seeds, with the second the shelves are closed now and then, and opened with what
   * they had; with the third there are two programs, asked by turns, that share what they have
   * loaded.
   */
  private static final int KINDS = 3;

  private static final Duration PATIENCE = Duration.ofSeconds(30);

  private final PGSimpleDataSource database;
  private final Connection changer;
  private final HikariDataSource pool;
  private final boolean ahead;

  /** What outlives a restart; null where there are none. */
  private final @Nullable Path file;

  private final boolean shares;
  private WarmShelf warm;

  /** The other program; null if there is none. */
  private @Nullable WarmShelf other;

  private final WarmShelf direct;
  private Map<String, ShelvedQuery<Map<String, @Nullable Object>>> kept = new HashMap<>();
  private Map<String, ShelvedQuery<Map<String, @Nullable Object>>> keptByOther = new HashMap<>();
  private final Map<String, ShelvedQuery<Map<String, @Nullable Object>>> directly = new HashMap<>();
  private final Map<String, Integer> refused = new TreeMap<>();
  private long checks;
  private long revived;
  private long mended;
  private long restored;
  private long given;
  private long computed;
  private long unwritable;
  private long asked;
  private long keepable;

  /** What one hunt came to. */
  public record Outcome(
      long checks, long revived, long mended, long asked, long kept, @Nullable String found) {}

  /** A statement whose kept answer was not what a direct read gave. */
  private record Find(Made statement, List<String> before, List<String> after) {}

  /** A question and how many changes had been made when its kept answer was loaded. */
  private record Asked(Made statement, int since) {}

  /**
   * @param ahead whether answers are renewed before they are asked for again, too
   * @param file in which they outlive restarts; null for no restarts
   * @param shares whether there are two programs that share
   */
  private Hunt(PGSimpleDataSource database, boolean ahead, @Nullable Path file, boolean shares)
      throws Exception {
    this.database = database;
    this.shares = shares;
    this.ahead = ahead;
    this.file = file;
    this.changer = database.getConnection();
    HikariConfig config = new HikariConfig();
    config.setDataSource(database);
    config.setMaximumPoolSize(3);
    this.pool = new HikariDataSource(config);
    this.warm = opened();
    this.other = shares ? opened() : null;
    this.direct = WarmShelf.over(pool).onTtlAlone().open();
  }

  private WarmShelf opened() throws Exception {
    WarmShelf.Builder builder =
        WarmShelf.over(pool)
            .following(JournalFeed.on(database).polling(Duration.ofMillis(1)))
            .shelf(
                WarmShelf.MAIN_SHELF,
                policy -> policy.renewing(ahead ? MENDING.ahead(1) : MENDING));
    if (shares) {
      builder.sharing(
          Sharing.through(PostgresStore.on(database).reading(1)).fromLoadsOf(Duration.ZERO));
    }
    return file == null ? builder.open() : builder.warmStart(WarmStart.from(file)).open();
  }

  /** From now on the other program is asked. */
  private void swap() {
    WarmShelf next = other;
    if (next != null) {
      other = warm;
      warm = next;
      Map<String, ShelvedQuery<Map<String, @Nullable Object>>> queries = kept;
      kept = keptByOther;
      keptByOther = queries;
    }
  }

  public static void main(String[] arguments) throws Exception {
    long checks = arguments.length > 0 ? Long.parseLong(arguments[0]) : 100_000;
    long seed = arguments.length > 1 ? Long.parseLong(arguments[1]) : Instant.now().toEpochMilli();
    boolean matrix = arguments.length > 3 && arguments[3].equals("matrix");
    try (LocalPostgres server =
        arguments.length > 2 && !arguments[2].equals("-")
            ? LocalPostgres.startOf(Path.of(arguments[2]))
            : LocalPostgres.start()) {
      Outcome outcome = matrix ? matrix(server, checks, seed) : run(server, checks, seed);
      System.exit(outcome.found() == null ? 0 : 1);
    }
  }

  /** Hunts on a database of its own on this server, until so many kept answers were compared. */
  public static Outcome run(LocalPostgres server, long checks, long seed) throws Exception {
    System.out.println("hunt: seed " + seed);
    PGSimpleDataSource database =
        made(server, "hunt_" + Long.toUnsignedString(seed), seed / KINDS % 2 == 1);
    return hunted(database, checks, seed);
  }

  /** Compares statements with changes, pair by pair, on a database of its own on this server. */
  public static Outcome matrix(LocalPostgres server, long checks, long seed) throws Exception {
    System.out.println("matrix: seed " + seed);
    PGSimpleDataSource database =
        made(server, "matrix_" + Long.toUnsignedString(seed), seed % 2 == 1);
    try (Hunt hunt = new Hunt(database, false, null, false)) {
      return hunt.matrix(checks, new SplittableRandom(seed));
    }
  }

  /**
   * @param digests whether they stand in the journal in the place of values
   */
  private static PGSimpleDataSource made(LocalPostgres server, String name, boolean digests)
      throws Exception {
    try (Connection admin = server.dataSource("postgres").getConnection();
        Statement statement = admin.createStatement()) {
      statement.execute("DROP DATABASE IF EXISTS " + name);
      statement.execute("CREATE DATABASE " + name);
    }
    PGSimpleDataSource database = server.dataSource(name);
    try (Connection connection = database.getConnection();
        Statement statement = connection.createStatement()) {
      statement.execute(schema());
      statement.execute(Changes.RESET);
    }
    Journal journal = Journal.on(database);
    (digests ? journal.withDigests() : journal).install(FOLLOWED);
    return database;
  }

  /**
   * Makes statements, and compares what they give with what their normal forms do.
   *
   * @return how many could be compared
   * @throws AssertionError if one does not ask the same
   */
  public static long normalForms(LocalPostgres server, int statements, long seed) throws Exception {
    PGSimpleDataSource database = made(server, "forms_" + Long.toUnsignedString(seed), false);
    SplittableRandom random = new SplittableRandom(seed);
    try (Hunt hunt = new Hunt(database, false, null, false)) {
      for (int i = 0; i < statements; i++) {
        hunt.isKeepable(Made.random(random));
      }
      return hunt.keepable - hunt.unwritable;
    }
  }

  /** What is run on a database of its own. */
  private static Outcome hunted(PGSimpleDataSource database, long checks, long seed)
      throws Exception {
    Path directory = Files.createTempDirectory("hunt");
    Path file = seed % KINDS == 1 ? directory.resolve("answers") : null;
    boolean shares = seed % KINDS == 2;
    if (shares) {
      StoreSchema.create(database, 64 << 20, List.of());
    }
    try (Hunt hunt = new Hunt(database, seed % 2 == 0, file, shares)) {
      return hunt.hunt(checks, new SplittableRandom(seed));
    } finally {
      Files.deleteIfExists(directory.resolve("answers"));
      Files.deleteIfExists(directory.resolve("answers.lock"));
      Files.delete(directory);
    }
  }

  /** All of it, or all but what had changed. */
  private static boolean wasServedFromTheShelf(Reading<?> reading) {
    return reading.origin().isHit()
        || reading.origin() == Origin.MENDED
        || reading.origin() == Origin.SHARED;
  }

  private static String schema() throws IOException {
    try (InputStream in = Hunt.class.getResourceAsStream("schema.sql")) {
      return new String(Objects.requireNonNull(in).readAllBytes(), StandardCharsets.UTF_8);
    }
  }

  @Override
  public void close() throws SQLException {
    warm.close();
    if (other != null) {
      other.close();
    }
    direct.close();
    pool.close();
    changer.close();
  }

  private Outcome hunt(long most, SplittableRandom random) throws Exception {
    long nextReport = most / 10;
    while (checks < most) {
      Find find = epoch(random.split(), most);
      if (find != null) {
        String told = told(shrunk(find));
        System.out.println(told);
        return new Outcome(checks, revived, mended, asked, keepable, told);
      }
      if (checks >= nextReport) {
        nextReport = checks + most / 10;
        System.out.printf(
            Locale.ROOT,
            "hunt: %,d checks, %,d questions asked, %.0f %% of them kept%n",
            checks,
            asked,
            asked == 0 ? 0.0 : 100.0 * keepable / asked);
      }
    }
    System.out.printf(
        Locale.ROOT,
        "hunt: %,d checks, %,d of answers revived, %,d of mended ones, %,d probes found nothing,"
            + " %,d answers outlived a restart, %,d were given by another program, %,d computations;"
            + " nothing found;"
            + " %,d questions not asked by their normal form; refused: %s%n",
        checks,
        revived,
        mended,
        warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot().get(Count.PROBED),
        restored,
        given,
        computed,
        unwritable,
        refused);
    return new Outcome(checks, revived, mended, asked, keepable, null);
  }

  private Outcome matrix(long most, SplittableRandom random) throws Exception {
    Map<Origin, Integer> origins = new TreeMap<>();
    while (checks < most) {
      change(Changes.RESET);
      kept.clear();
      directly.clear();
      Changes changes = new Changes(random.split());
      List<String> before = new ArrayList<>();
      for (int i = 0; i < QUESTIONS && checks < most; i++) {
        Made statement = Made.random(random);
        if (!isKeepable(statement)) {
          continue;
        }
        for (int pair = 0; pair < PAIRS && checks < most; pair++) {
          Find find = pair(statement, changes, random, before, origins);
          if (find != null) {
            String told = told(shrunk(find));
            System.out.println(told);
            return new Outcome(checks, revived, mended, asked, keepable, told);
          }
        }
      }
    }
    System.out.printf(
        Locale.ROOT,
        "matrix: %,d pairs, %s; nothing found; refused: %s%n",
        checks,
        origins,
        refused);
    return new Outcome(checks, revived, mended, asked, keepable, null);
  }

  /** One statement, and some changes. */
  private @Nullable Find pair(
      Made statement,
      Changes changes,
      SplittableRandom random,
      List<String> before,
      Map<Origin, Integer> origins)
      throws Exception {
    question(warm, statement).clear();
    untilDelivered();
    ask(statement);
    List<String> after = changed(changes, random);
    untilDelivered();
    Reading<?> reading = ask(statement);
    checks++;
    origins.merge(reading.origin(), 1, Integer::sum);
    revived += reading.origin() == Origin.REVIVED ? 1 : 0;
    mended += reading.origin() == Origin.MENDED ? 1 : 0;
    boolean right = isTrue(statement, reading);
    Find find = right ? null : new Find(statement, List.copyOf(before), after);
    before.addAll(after);
    return find;
  }

  /** From a fresh state: some statements, and changes among them. */
  private @Nullable Find epoch(SplittableRandom random, long most) throws Exception {
    change(Changes.RESET);
    kept.clear();
    keptByOther.clear();
    directly.clear();
    Changes changes = new Changes(random.split());
    List<String> made = new ArrayList<>();
    List<Asked> statements = new ArrayList<>();
    for (int i = 0; i < QUESTIONS; i++) {
      Made statement = Made.random(random);
      if (isKeepable(statement)) {
        statements.add(new Asked(statement, 0));
        ask(statement);
      }
    }
    for (int round = 0; round < ROUNDS_PER_EPOCH && checks < most; round++) {
      made.addAll(changed(changes, random));
      swap();
      untilDelivered();
      for (int i = 0; i < statements.size(); i++) {
        Asked each = statements.get(i);
        Reading<?> reading = ask(each.statement());
        if (wasServedFromTheShelf(reading)) {
          count(reading);
          if (!isTrue(each.statement(), reading)) {
            return new Find(
                each.statement(),
                List.copyOf(made.subList(0, each.since())),
                List.copyOf(made.subList(each.since(), made.size())));
          }
        } else {
          statements.set(i, new Asked(each.statement(), made.size()));
        }
      }
      checkPairs(statements, random, made);
    }
    return null;
  }

  private void checkPairs(List<Asked> statements, SplittableRandom random, List<String> made)
      throws SQLException {
    int first = Math.min(FIRST, statements.size());
    for (int i = 0; i < PAIRS && first > 0; i++) {
      Made one = statements.get(random.nextInt(first)).statement();
      requireTruePair(one, statements.get(random.nextInt(first)).statement(), made);
    }
  }

  /**
   * What is made of two answers, kept as a computation, must be what the database makes of them.
   *
   * @throws AssertionError if it is not, with all that led there
   */
  private void requireTruePair(Made one, Made two, List<String> made) throws SQLException {
    Reading<List<List<Map<String, @Nullable Object>>>> pair =
        warm.<List<List<Map<String, @Nullable Object>>>>computation("pair")
            .get(
                () -> List.of(ask(one).value(), ask(two).value()),
                one.text(),
                one.used().toString(),
                two.text(),
                two.used().toString());
    if (pair.origin() == Origin.KEPT) {
      checks++;
      computed++;
      if (!isTrue(one, pair.value().get(0)) || !isTrue(two, pair.value().get(1))) {
        throw new AssertionError(
            "A computation of two answers is wrong.\n"
                + one.text()
                + "\n"
                + two.text()
                + "\nafter\n"
                + String.join("\n", made));
      }
    }
  }

  /** Changes some rows or other things, sometimes while no shelf is open. */
  private List<String> changed(Changes changes, SplittableRandom random) throws Exception {
    boolean restart = file != null && random.nextInt(ROUNDS_PER_RESTART) == 0;
    if (restart) {
      warm.close();
    }
    List<String> made = new ArrayList<>();
    for (int i = 1 + random.nextInt(3); i > 0; i--) {
      made.add(changes.next());
      change(made.get(made.size() - 1));
    }
    if (restart) {
      restored += warm.shelf(WarmShelf.MAIN_SHELF).meters().snapshot().get(Count.RESTORED);
      warm = opened();
      kept.clear();
    }
    return made;
  }

  private void count(Reading<?> reading) {
    checks++;
    revived += reading.origin() == Origin.REVIVED ? 1 : 0;
    mended += reading.origin() == Origin.MENDED ? 1 : 0;
    given += reading.origin() == Origin.SHARED ? 1 : 0;
  }

  private boolean isKeepable(Made statement) throws SQLException {
    asked++;
    Verdict verdict =
        kept.computeIfAbsent(statement.text(), text -> warm.query(text).asMaps()).verdict();
    if (verdict instanceof Verdict.Refused refusal) {
      refused.merge(refusal.refusal().reason().name(), 1, Integer::sum);
      return false;
    }
    keepable++;
    requirePlanned(statement, ((Verdict.Keepable) verdict).tables());
    requireSameQuestion(statement);
    return true;
  }

  /**
   * @throws AssertionError if the normal form, with the values that stand at its places, does not
   *     ask what the statement asks
   */
  private void requireSameQuestion(Made statement) throws SQLException {
    SqlStatement sql = SqlStatement.of(statement.text());
    @Nullable Object[] values = sql.parameters().stream().map(statement.values()::get).toArray();
    if (statement.used().values().stream().anyMatch(v -> v instanceof List<?> l && l.isEmpty())) {
      unwritable++; // no literal is a set of nothing
      return;
    }
    List<Place> places = sql.plan().places();
    String written =
        PLACE
            .matcher(sql.normalForm())
            .replaceAll(
                found ->
                    Matcher.quoteReplacement(
                        literals(places.get(Integer.parseInt(found.group(1)) - 1), values)));
    List<String> asked;
    try (Statement literally = changer.createStatement()) {
      asked = rows(literally.executeQuery(written));
    } catch (SQLException e) {
      unwritable++; // a literal that needs its type said
      return;
    }
    String text = sql.driverText(parameter -> values[parameter] instanceof List<?>);
    try (PreparedStatement bound = changer.prepareStatement(text)) {
      Binding.bind(bound, values, sql.driverOrder());
      List<String> meant = rows(bound.executeQuery());
      if (!asked.equals(meant)) {
        throw new AssertionError(
            statement.text()
                + " with "
                + statement.used()
                + " gives "
                + meant
                + ", but its normal form gives "
                + asked
                + ": "
                + written);
      }
    }
  }

  private static String literals(Place place, @Nullable Object[] values) {
    List<String> all = new ArrayList<>();
    for (Source source : place.sources()) {
      Object value =
          source instanceof Source.Parameter parameter
              ? values[parameter.index()]
              : ((Source.Constant) source).value();
      for (Object each : value instanceof List<?> list ? list : Collections.singletonList(value)) {
        all.add(literal(each));
      }
    }
    return String.join(", ", all);
  }

  private static String literal(@Nullable Object value) {
    if (value == null || value instanceof Number || value instanceof Boolean) {
      return String.valueOf(value);
    }
    String quoted = "'" + value.toString().replace("'", "''") + "'";
    return value instanceof LocalDate ? "date " + quoted : quoted;
  }

  /** Sorted: where the order is not said, it may be any. */
  private static List<String> rows(ResultSet result) throws SQLException {
    List<String> rows = new ArrayList<>();
    try (result) {
      int columns = result.getMetaData().getColumnCount();
      while (result.next()) {
        StringBuilder row = new StringBuilder();
        for (int i = 1; i <= columns; i++) {
          row.append(result.getString(i)).append('|');
        }
        rows.add(row.toString());
      }
    }
    Collections.sort(rows);
    return rows;
  }

  /**
   * @throws AssertionError if the database's plan reads a table that the footprint does not hold
   */
  private void requirePlanned(Made statement, Footprint footprint) throws SQLException {
    SqlStatement sql = SqlStatement.of(statement.text());
    @Nullable Object[] values = sql.parameters().stream().map(statement.values()::get).toArray();
    String text = sql.driverText(parameter -> values[parameter] instanceof List<?>);
    try (PreparedStatement explain =
        changer.prepareStatement("EXPLAIN (VERBOSE, FORMAT JSON) " + text)) {
      Binding.bind(explain, values, sql.driverOrder());
      try (ResultSet row = explain.executeQuery()) {
        row.next();
        Matcher planned = PLANNED.matcher(row.getString(1));
        while (planned.find()) {
          Lane lane =
              Lane.ofTable("public", ROOTS.getOrDefault(planned.group(1), planned.group(1)));
          if (!footprint.lanes().contains(lane)) {
            throw new AssertionError(lane + " is not in " + footprint + " of " + statement.text());
          }
        }
      }
    }
  }

  private Reading<List<Map<String, @Nullable Object>>> ask(Made statement) throws SQLException {
    return question(warm, statement).list();
  }

  private Question<Map<String, @Nullable Object>> question(WarmShelf of, Made statement) {
    ShelvedQuery<Map<String, @Nullable Object>> query =
        (of == warm ? kept : directly)
            .computeIfAbsent(statement.text(), text -> of.query(text).asMaps());
    Question<Map<String, @Nullable Object>> question = query.question();
    statement.used().forEach(question::with);
    return question;
  }

  /**
   * Whether a kept answer is what the database gives now; in its order, if the statement says so.
   */
  private boolean isTrue(Made statement, Reading<?> reading) throws SQLException {
    return isTrue(statement, (List<?>) Objects.requireNonNull(reading.value()));
  }

  private boolean isTrue(Made statement, List<?> kept) throws SQLException {
    direct.shelf(WarmShelf.MAIN_SHELF).clear();
    List<?> now = question(direct, statement).list().value();
    return statement.tail().contains("ORDER BY") ? kept.equals(now) : bag(kept).equals(bag(now));
  }

  private static Map<String, Integer> bag(@Nullable List<?> rows) {
    Map<String, Integer> bag = new TreeMap<>();
    for (Object row : Objects.requireNonNull(rows)) {
      bag.merge(row.toString(), 1, Integer::sum);
    }
    return bag;
  }

  /** A change that the database refuses is none. */
  private void change(String sql) throws SQLException {
    try (Statement statement = changer.createStatement()) {
      statement.execute(sql);
    } catch (SQLException e) {
      try (Statement statement = changer.createStatement()) {
        statement.execute("ROLLBACK; RESET TimeZone");
      }
    }
  }

  private void untilDelivered() {
    Instant now = Instant.now();
    long deadline = System.nanoTime() + PATIENCE.toNanos();
    while (!warm.freshAsOf().orElse(Instant.MIN).isAfter(now)) {
      if (System.nanoTime() > deadline) {
        throw new IllegalStateException("The feed does not deliver: " + warm.feedMeters());
      }
      LockSupport.parkNanos(100_000);
    }
  }

  // ---- shrinking

  /** Whether the statement, kept after the first changes, is wrong after the others. */
  private boolean happens(Find find) throws Exception {
    change(Changes.RESET);
    for (String change : find.before()) {
      change(change);
    }
    untilDelivered();
    Shelf shelf = warm.shelf(WarmShelf.MAIN_SHELF);
    shelf.clear();
    if (!isKeepable(find.statement())) {
      return false;
    }
    ask(find.statement());
    for (String change : find.after()) {
      change(change);
    }
    untilDelivered();
    Reading<?> reading = ask(find.statement());
    return wasServedFromTheShelf(reading) && !isTrue(find.statement(), reading);
  }

  private Find shrunk(Find found) throws Exception {
    System.out.println("hunt: found something; shrinking it");
    Find find = found;
    boolean smaller = true;
    while (smaller) {
      smaller = false;
      for (Find candidate : smallerThan(find)) {
        if (happens(candidate)) {
          find = candidate;
          smaller = true;
          break;
        }
      }
    }
    return find;
  }

  /** Without halves of its changes first, then without single ones, then simpler statements. */
  private static List<Find> smallerThan(Find find) {
    List<Find> smaller = new ArrayList<>();
    for (int size = Math.max(find.before().size(), find.after().size()); size > 0; size /= 2) {
      for (int from = 0; from < find.before().size(); from += size) {
        smaller.add(new Find(find.statement(), without(find.before(), from, size), find.after()));
      }
      for (int from = 0; from < find.after().size(); from += size) {
        smaller.add(new Find(find.statement(), find.before(), without(find.after(), from, size)));
      }
    }
    for (Made simpler : find.statement().simpler()) {
      smaller.add(new Find(simpler, find.before(), find.after()));
    }
    return smaller;
  }

  private static List<String> without(List<String> all, int from, int size) {
    List<String> rest = new ArrayList<>(all.subList(0, from));
    rest.addAll(all.subList(Math.min(all.size(), from + size), all.size()));
    return rest;
  }

  private String told(Find find) throws Exception {
    boolean again = happens(find);
    Reading<?> reading = ask(find.statement());
    return "FOUND"
        + (again ? "" : " (not again)")
        + ": "
        + find.statement().text()
        + " with "
        + find.statement().used()
        + "\n  kept after "
        + find.before()
        + "\n  wrong after "
        + find.after()
        + "\n  footprint "
        + reading.lanes()
        + "\n  kept   "
        + bag((List<?>) reading.value())
        + "\n  direct "
        + bag(question(direct, find.statement()).list().value())
        + "\n  database "
        + database.getDatabaseName();
  }
}
