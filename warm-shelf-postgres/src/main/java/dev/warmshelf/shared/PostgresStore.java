package dev.warmshelf.shared;

import dev.warmshelf.caller.Borrowed;
import dev.warmshelf.caller.OwnConnections;
import dev.warmshelf.postgres.analysis.SqlText;
import dev.warmshelf.spi.feed.FeedPlace;
import dev.warmshelf.spi.store.SharedStore;
import dev.warmshelf.spi.store.SharedStoreException;
import java.nio.ByteBuffer;
import java.sql.Connection;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.LinkedBlockingDeque;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.locks.ReentrantLock;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * A shared store in a PostgreSQL database, the one that is asked or another: an unlogged table,
 * which {@link StoreSchema} makes. Unlogged means that a server that crashes empties it, and that
 * replicas do not have it; both only cost loads.
 *
 * <p>Callers find connections that are open already, each with a network timeout; only {@link
 * #check} and what runs on threads of the library's own open them. A lease is an advisory lock of
 * one connection (section 13.3.5 of the manual), which the server ends with that.
 *
 * <p>Thread-safe.
 */
public final class PostgresStore implements SharedStore {
  private static final Logger LOG = LoggerFactory.getLogger(PostgresStore.class);

  /** How long a caller waits for it unless told otherwise. */
  public static final Duration USUAL_LIMIT = Duration.ofMillis(40);

  private static final int USUAL_CONNECTIONS = 4;

  /** One part in so many of the limit may be waited for a connection that is not busy. */
  private static final int BUSY_SHARE = 4;

  /** On threads that nobody waits for. */
  private static final int ASIDE_MILLIS = 5_000;

  /** The first key of each advisory lock: the product's, so as to meet no program's own. */
  static final int LOCKS = 0x5741524d;

  private static final String GET =
      """
      SELECT bytes, (extract(epoch FROM clock_timestamp() - stored) * 1000000)::bigint
      FROM warm_shelf_store.answer WHERE digest = ?
      """;

  private static final String PUT =
      """
      INSERT INTO warm_shelf_store.answer (digest, bytes, shelf, form, load_micros, ends, stored)
      VALUES (?, ?, ?, ?, ?, clock_timestamp() + ? * interval '1 microsecond',
          timestamptz 'epoch' + ? * interval '1 microsecond')
      ON CONFLICT (digest) DO UPDATE
      SET bytes = EXCLUDED.bytes, load_micros = EXCLUDED.load_micros, ends = EXCLUDED.ends,
          stored = EXCLUDED.stored, used = clock_timestamp()
      """;

  private static final String MOMENT =
      "SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint";

  private static final String USED =
      """
      UPDATE warm_shelf_store.answer SET used = clock_timestamp()
      WHERE digest = ANY (?) AND used < clock_timestamp() - interval '1 minute'
      """;

  private final DataSource dataSource;
  private final String where;
  private final int connections;
  private final Duration limit;
  private final LinkedBlockingDeque<Line> idle = new LinkedBlockingDeque<>();
  private final Locks locks = new Locks();
  private final ReentrantLock opening = new ReentrantLock();
  private final AtomicInteger open = new AtomicInteger();
  private @Nullable Line writer;

  /** Since something has failed: what is open may be broken, and is opened anew. */
  private volatile boolean suspect;

  private volatile boolean closed;

  private PostgresStore(DataSource dataSource, String where, int connections, Duration limit) {
    this.dataSource = dataSource;
    this.where = where;
    this.connections = connections;
    this.limit = limit;
  }

  /** Over connections of this data source, which it keeps: some more than readers. */
  public static PostgresStore on(DataSource dataSource) {
    return new PostgresStore(dataSource, "its data source", USUAL_CONNECTIONS, USUAL_LIMIT);
  }

  /**
   * Over connections of its own.
   *
   * @param url as {@link java.sql.DriverManager} knows it; its parameters say whether they are
   *     encrypted, and whom they trust
   * @param user null for what the URL says, or the driver finds
   * @param password null for the same, such as the one in a password file
   */
  public static PostgresStore on(String url, @Nullable String user, @Nullable String password) {
    int parameters = url.indexOf('?');
    String where = parameters < 0 ? url : url.substring(0, parameters);
    return new PostgresStore(
        new OwnConnections(url, user, password), where, USUAL_CONNECTIONS, USUAL_LIMIT);
  }

  /**
   * The same, with so many connections for readers; by default 4. It has two more: to write, and
   * for leases.
   *
   * @throws IllegalArgumentException if it is less than 1
   */
  public PostgresStore reading(int atOnce) {
    if (atOnce < 1) {
      throw new IllegalArgumentException("A store is read over 1 connection at least.");
    }
    return new PostgresStore(dataSource, where, atOnce, limit);
  }

  /**
   * The same, where callers wait for so long at most; by default 40 ms.
   *
   * @throws IllegalArgumentException if it is less than a millisecond
   */
  public PostgresStore answeringWithin(Duration most) {
    if (most.toMillis() < 1) {
      throw new IllegalArgumentException("A store has a millisecond at least, but not " + most);
    }
    return new PostgresStore(dataSource, where, connections, most);
  }

  @Override
  public String describe() {
    return "PostgreSQL at " + where;
  }

  @Override
  public Duration answersWithin() {
    return limit;
  }

  /** A connection with the statement that is run over it most often. */
  private record Line(Borrowed borrowed, PreparedStatement usual) {
    Connection connection() {
      return borrowed.connection();
    }
  }

  private Line line(int networkMillis, String usual) throws SQLException {
    Borrowed borrowed = borrow(networkMillis);
    boolean done = false;
    try {
      Line line = new Line(borrowed, borrowed.connection().prepareStatement(usual));
      done = true;
      return line;
    } finally {
      if (!done) {
        end(borrowed, false);
      }
    }
  }

  @Override
  public void check() throws SharedStoreException {
    opening.lock();
    try {
      if (suspect) {
        suspect = false;
        disconnect(false);
      }
      try {
        StoreSchema.require(writing().connection());
        locks.connect();
        while (open.get() < connections && !closed) {
          idle.addFirst(line((int) limit.toMillis(), GET));
          open.incrementAndGet();
        }
      } catch (SQLException e) {
        dropWriter(works(e));
        throw failed(e);
      }
    } finally {
      endIfClosed();
      opening.unlock();
    }
  }

  /** Whether a connection works though something failed: it was not as it should be there. */
  private static boolean works(SQLException e) {
    String state = String.valueOf(e.getSQLState());
    return state.startsWith("42") || state.startsWith("3F");
  }

  /** Gives a connection back, or ends it. */
  private static void end(Borrowed borrowed, boolean works) {
    if (!works) {
      borrowed.spoil();
    }
    borrowed.close();
  }

  private Borrowed borrow(int networkMillis) throws SQLException {
    Borrowed fresh = Borrowed.from(dataSource);
    boolean done = false;
    try {
      fresh.autoCommit(true).networkTimeout(ASIDE_MILLIS);
      fresh.setting("search_path", SqlText.SYSTEM_PATH);
      fresh.setting("statement_timeout", Integer.toString(networkMillis));
      fresh.networkTimeout(networkMillis);
      done = true;
      return fresh;
    } finally {
      if (!done) {
        end(fresh, false);
      }
    }
  }

  @Override
  public @Nullable Stored get(byte[] digest) throws SharedStoreException {
    Line asker;
    try {
      asker = idle.pollFirst(limit.toNanos() / BUSY_SHARE, TimeUnit.NANOSECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return null;
    }
    if (asker == null) {
      return null; // all are busy
    }
    boolean works = false;
    try {
      Stored found = stored(asker.usual(), digest);
      works = true;
      return found;
    } catch (SQLException e) {
      throw failed(e);
    } finally {
      if (works && !closed) {
        idle.addFirst(asker);
      } else {
        drop(asker, works);
      }
    }
  }

  private static @Nullable Stored stored(PreparedStatement get, byte[] digest) throws SQLException {
    get.setBytes(1, digest);
    try (ResultSet row = get.executeQuery()) {
      return row.next()
          ? new Stored(
              ByteBuffer.wrap(row.getBytes(1)), TimeUnit.MICROSECONDS.toNanos(row.getLong(2)))
          : null;
    }
  }

  private Line writing() throws SQLException {
    Line known = writer;
    if (known == null) {
      known = line(ASIDE_MILLIS, PUT);
      writer = known;
    }
    return known;
  }

  private void dropWriter(boolean works) {
    Line known = writer;
    writer = null;
    if (known != null) {
      end(known.borrowed(), works);
    }
  }

  private interface Work<V> {
    V with(Line over) throws SQLException;
  }

  private <V> V write(Work<V> work) throws SharedStoreException {
    opening.lock();
    try {
      return work.with(writing());
    } catch (SQLException e) {
      dropWriter(works(e));
      throw failed(e);
    } finally {
      endIfClosed();
      opening.unlock();
    }
  }

  @Override
  public long moment() throws SharedStoreException {
    return write(
        over -> {
          try (PreparedStatement statement = over.connection().prepareStatement(MOMENT);
              ResultSet row = statement.executeQuery()) {
            row.next();
            return TimeUnit.MICROSECONDS.toNanos(row.getLong(1));
          }
        });
  }

  @Override
  public void put(byte[] digest, byte[] bytes, long moment, Facts facts)
      throws SharedStoreException {
    write(
        over -> {
          PreparedStatement put = over.usual();
          put.setBytes(1, digest);
          put.setBytes(2, bytes);
          put.setString(3, facts.shelf());
          put.setString(4, facts.form());
          put.setLong(5, TimeUnit.NANOSECONDS.toMicros(facts.loadNanos()));
          if (facts.lifeNanos() == Long.MAX_VALUE) {
            put.setNull(6, java.sql.Types.BIGINT);
          } else {
            put.setLong(6, TimeUnit.NANOSECONDS.toMicros(facts.lifeNanos()));
          }
          put.setLong(7, TimeUnit.NANOSECONDS.toMicros(moment));
          return put.executeUpdate();
        });
  }

  @Override
  public void used(Collection<byte[]> digests) throws SharedStoreException {
    write(
        over -> {
          try (PreparedStatement statement = over.connection().prepareStatement(USED)) {
            statement.setArray(
                1, over.connection().createArrayOf("bytea", digests.toArray(new byte[0][])));
            return statement.executeUpdate();
          }
        });
  }

  @Override
  public @Nullable Lease lease(byte[] digest) throws SharedStoreException {
    int lock = ByteBuffer.wrap(digest).getInt();
    try {
      Borrowed taken = locks.take(lock);
      return taken == null ? null : () -> locks.release(lock, taken);
    } catch (SQLException e) {
      throw failed(e);
    }
  }

  /** The connection whose locks are this process's leases. */
  private final class Locks {
    private final ReentrantLock one = new ReentrantLock();
    private @Nullable Borrowed session;

    void connect() throws SQLException {
      one.lock();
      try {
        if (session == null && !closed) {
          session = borrow((int) limit.toMillis());
        }
      } finally {
        one.unlock();
      }
    }

    /** Returns the session that has it now; null if another process has. */
    @Nullable Borrowed take(int lock) throws SQLException {
      return run("SELECT pg_try_advisory_lock(?, ?)", lock, limit.toNanos(), null);
    }

    /** Gives up a lock of this session, unless that has ended, and the lock with it. */
    void release(int lock, Borrowed taken) {
      try {
        long patience = TimeUnit.MILLISECONDS.toNanos(ASIDE_MILLIS);
        run("SELECT pg_advisory_unlock(?, ?)", lock, patience, taken);
      } catch (SQLException e) {
        LOG.debug("A lease has ended with its connection, as all of them have", e);
      }
    }

    /**
     * Returns the session in which it was so.
     *
     * @param only in this one, if it is not null
     */
    private @Nullable Borrowed run(String sql, int lock, long waitNanos, @Nullable Borrowed only)
        throws SQLException {
      boolean mine = false;
      try {
        mine = one.tryLock(waitNanos, TimeUnit.NANOSECONDS);
        Borrowed over = session;
        if (!mine || over == null || (only != null && !only.equals(over))) {
          return null;
        }
        return asked(over, sql, lock) ? over : null;
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return null;
      } finally {
        if (mine) {
          one.unlock();
        }
      }
    }

    private boolean asked(Borrowed over, String sql, int lock) throws SQLException {
      boolean done = false;
      try (PreparedStatement statement = over.connection().prepareStatement(sql)) {
        statement.setInt(1, LOCKS);
        statement.setInt(2, lock);
        try (ResultSet row = statement.executeQuery()) {
          row.next();
          done = true;
          return row.getBoolean(1);
        }
      } finally {
        if (!done) {
          disconnect(false);
        }
      }
    }

    private void disconnect(boolean works) {
      one.lock();
      try {
        Borrowed over = session;
        session = null;
        if (over != null) {
          end(over.finallyRun("SELECT pg_advisory_unlock_all()"), works);
        }
      } finally {
        one.unlock();
      }
    }
  }

  @Override
  public void trim() throws SharedStoreException {
    write(over -> StoreSchema.trim(over.connection()));
  }

  @Override
  public void note(FeedPlace place) throws SharedStoreException {
    write(over -> StoreSchema.note(over.connection(), place));
  }

  @Override
  public Optional<FeedPlace> oldestPlace(Duration within) throws SharedStoreException {
    return write(over -> StoreSchema.oldestPlace(over.connection(), within));
  }

  @Override
  public List<Listed> list(int most) throws SharedStoreException {
    return write(
        over -> {
          try (PreparedStatement statement = over.connection().prepareStatement(StoreSchema.LIST)) {
            statement.setInt(1, most);
            List<Listed> all = new ArrayList<>();
            try (ResultSet row = statement.executeQuery()) {
              while (row.next()) {
                all.add(listed(row));
              }
            }
            return all;
          }
        });
  }

  private static Listed listed(ResultSet row) throws SQLException {
    long ends = row.getLong("ends");
    long life = row.wasNull() ? Long.MAX_VALUE : TimeUnit.MICROSECONDS.toNanos(ends);
    Facts facts =
        new Facts(
            row.getString("shelf"),
            row.getString("form"),
            TimeUnit.MICROSECONDS.toNanos(row.getLong("load_micros")),
            life);
    return new Listed(
        HexFormat.of().formatHex(row.getBytes("digest")),
        facts,
        row.getLong("size"),
        Duration.ofNanos(TimeUnit.MICROSECONDS.toNanos(row.getLong("age"))),
        Duration.ofNanos(TimeUnit.MICROSECONDS.toNanos(row.getLong("idle"))));
  }

  @Override
  public int forget(String shelf, String digest) throws SharedStoreException {
    return write(over -> StoreSchema.forget(over.connection(), shelf, digest));
  }

  private SharedStoreException failed(SQLException e) {
    suspect = true;
    return new SharedStoreException(StoreSchema.inWords(e), e);
  }

  @Override
  public void close() {
    closed = true;
    if (opening.tryLock()) { // else whoever has it ends them
      try {
        endIfClosed();
      } finally {
        opening.unlock();
      }
    }
  }

  private void endIfClosed() {
    if (closed) {
      disconnect(!suspect);
    }
  }

  /** With the lock held. */
  private void disconnect(boolean works) {
    locks.disconnect(works);
    dropWriter(works);
    for (Line asker = idle.poll(); asker != null; asker = idle.poll()) {
      drop(asker, works);
    }
  }

  private void drop(Line asker, boolean works) {
    end(asker.borrowed(), works);
    open.decrementAndGet();
  }
}
