package dev.warmshelf.journal;

import dev.warmshelf.database.OwnChanges;
import dev.warmshelf.lane.Change;
import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.spi.feed.Batch;
import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.feed.Poll;
import dev.warmshelf.spi.feed.Watched;
import dev.warmshelf.time.TimeSource;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.function.Predicate;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * What the journal's feed asks its database: the journal, and beside that, now and then, whether
 * the triggers are still what they were, and the parts of the schema on which statements depend.
 * Where the journal notes changes of the schema, both are looked at before such a change is
 * delivered.
 *
 * <p>A look that finds changes is delivered before the triggers are looked at, which may take a
 * while where there are thousands. What they missed before the look had then been missed for good,
 * so once they are seen to have changed, everything is invalidated. As long as they cannot be
 * looked at nobody knows; after {@link #OVERDUE} no look is taken before they have been.
 */
final class JournalPoll implements Poll {
  private static final Logger LOG = LoggerFactory.getLogger(JournalPoll.class);
  private static final Duration TRIM_INTERVAL = Duration.ofMinutes(1);
  private static final Duration COVERAGE_INTERVAL = Duration.ofMillis(500);
  private static final Duration OVERDUE = Duration.ofSeconds(2);

  /** However long one look took: a machine that stood still once is not blind for long. */
  private static final Duration LONGEST_COVERAGE_INTERVAL = Duration.ofSeconds(10);

  /** The triggers are looked at for one part in so many of the time, as far as that is possible. */
  private static final int COVERAGE_SHARE = 50;

  private static final String TRIM = "SELECT warm_shelf.trim_journal()";

  private final JournalReader reader;
  private final TimeSource time;
  private final boolean listens;
  private final Semaphore hurry = new Semaphore(0);
  private final Set<String> troublesTold = new HashSet<>();
  private final SchemaWatch watch = new SchemaWatch();
  private final TransactionQuestion question;
  private volatile @Nullable NotificationWait wakener;
  private volatile Coverage coverage;

  /** The last place: what is in it has been delivered. */
  private volatile WrittenPlace delivered;

  /** Below: the polling thread's own. */
  private String print;

  private long coverageAskedNanos;
  private long coverageTookNanos;
  private long trimmedNanos;

  /** Why everything is invalidated, from when that was found until it has been delivered. */
  private @Nullable String untold;

  /** Of the last look. */
  private List<Lane> meanings = List.of();

  private boolean schemaUnseen;

  /**
   * @param reader connected
   * @param lost why it could not begin where it was to; null if it could, as far as is known
   * @param triggers what they were like where it begins; null if it begins now
   */
  JournalPoll(
      JournalReader reader,
      TimeSource time,
      boolean listens,
      @Nullable String lost,
      @Nullable String triggers)
      throws SQLException {
    this.reader = reader;
    this.time = time;
    this.listens = listens;
    this.trimmedNanos = time.nanos();
    listen();
    long began = time.nanos();
    this.print = reader.aside(Coverage::printOf);
    this.coverage = reader.aside(Coverage::ask);
    this.delivered = reader.written(print);
    NotedRow.Shapes shapes = (table, made) -> coverage.madeWith(table, made);
    reader.reading(shapes);
    this.question = new TransactionQuestion(shapes);
    boolean same = triggers == null || triggers.equals(print);
    this.untold = same ? lost : "The journal's triggers have changed since the place to begin at";
    askedAt(began);
  }

  @Override
  public boolean covers(Lane table) {
    return coverage.covers(table);
  }

  @Override
  public Map<String, ColumnKind> trackedColumns(Lane table) {
    return coverage.columns(table);
  }

  @Override
  public long schemaMark() {
    return watch.mark();
  }

  @Override
  public boolean watch(long mark, Watched watched) {
    return watch.add(mark, watched);
  }

  /**
   * As {@link OwnChanges#ask} has it.
   *
   * @param hasTold whether a transaction of this process has told its changes itself
   */
  OwnChanges.@Nullable Told ask(Connection connection, Predicate<String> hasTold) {
    return question.ask(connection, delivered, hasTold);
  }

  @Override
  public Batch look() throws SQLException {
    if (!reader.isConnected()) {
      reader.connect();
      listen();
      schemaUnseen = true;
    }
    if (time.nanos() - coverageAskedNanos > intervalNanos() + OVERDUE.toNanos()) {
      askCoverage();
    }
    Batch batch = reader.look();
    List<Change> changes = new ArrayList<>(batch.changes());
    schemaUnseen |= changes.removeIf(change -> change.table().equals(Lane.SCHEMA));
    if (batch.reset().isPresent() || schemaUnseen) {
      askCoverage(); // the triggers may have changed, too
      schemaUnseen = false;
    }
    meanings = watch.undelivered();
    Batch told = batch.withChanges(changes).withMeanings(meanings);
    return untold == null ? told : told.withReset(untold);
  }

  @Override
  public void taken() {
    reader.taken();
    delivered = reader.written(print);
    untold = null;
    watch.delivered(meanings);
  }

  @Override
  public FeedPlace place() {
    return delivered.place();
  }

  @Override
  public boolean covers(String whole, String part) {
    TransactionSnapshot one = TransactionSnapshot.read(whole);
    TransactionSnapshot other = TransactionSnapshot.read(part);
    return one != null && other != null && one.covers(other);
  }

  @Override
  public boolean beside() throws SQLException {
    long now = time.nanos();
    if (now - coverageAskedNanos >= intervalNanos()) {
      askCoverage();
    }
    if (now - trimmedNanos >= TRIM_INTERVAL.toNanos()) {
      trimmedNanos = now;
      trim();
    }
    return untold != null || !watch.undelivered().isEmpty();
  }

  @Override
  public void await(long nanos) throws SQLException, InterruptedException {
    NotificationWait listening = wakener;
    if (listening == null) {
      if (hurry.tryAcquire(nanos, TimeUnit.NANOSECONDS)) {
        hurry.drainPermits();
      }
    } else if (hurry.drainPermits() == 0) {
      listening.await(nanos);
    }
  }

  @Override
  public void interrupt() {
    hurry.release();
    NotificationWait listening = wakener;
    if (listening != null) {
      listening.interrupt();
    }
  }

  @Override
  public void giveUp() {
    wakener = null;
    reader.giveUp();
  }

  @Override
  public void close() {
    reader.close();
  }

  private void listen() throws SQLException {
    if (listens) {
      wakener = NotificationWait.listen(reader.connection());
      reader.finallyRun("UNLISTEN warm_shelf");
    }
  }

  private long intervalNanos() {
    return intervalAfter(coverageTookNanos);
  }

  /** How long after a look at the triggers the next is taken: later where that took long. */
  static long intervalAfter(long tookNanos) {
    long restful = Math.max(COVERAGE_INTERVAL.toNanos(), COVERAGE_SHARE * tookNanos);
    return Math.min(restful, LONGEST_COVERAGE_INTERVAL.toNanos());
  }

  private void askCoverage() throws SQLException {
    long began = time.nanos();
    reader.aside(
        connection -> {
          compareCoverage(connection);
          return watch.look(connection);
        });
    askedAt(began);
  }

  private void compareCoverage(Connection connection) throws SQLException {
    String now = Coverage.printOf(connection);
    if (!now.equals(print)) {
      Coverage found = Coverage.ask(connection);
      if (!found.equals(coverage)) {
        untold = "The journal's triggers have changed";
        coverage = found;
      }
      print = now; // from before the coverage was asked: what changes meanwhile is seen next time
    }
  }

  private void askedAt(long began) {
    coverageAskedNanos = began;
    coverageTookNanos = time.nanos() - began;
  }

  /** Whoever reads the journal trims it now and then; a role that may not leaves it to others. */
  private void trim() throws SQLException {
    try {
      reader.aside(
          connection -> {
            try (PreparedStatement statement = connection.prepareStatement(TRIM)) {
              return statement.execute();
            }
          });
    } catch (SQLException e) {
      if (troublesTold.add(String.valueOf(e.getSQLState()))) {
        LOG.warn(
            "The journal could not be trimmed ({}); other readers may. GRANT EXECUTE ON FUNCTION"
                + " warm_shelf.trim_journal() to this role if it may not. Told once per cause.",
            e.getMessage());
      }
      reader.rollBack();
    }
  }
}
