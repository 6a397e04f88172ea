package dev.warmshelf.caller;

import dev.warmshelf.base.Library;
import dev.warmshelf.database.Database;
import dev.warmshelf.database.Session;
import java.sql.Connection;
import java.sql.SQLException;
import java.util.Objects;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Supplier;
import javax.sql.DataSource;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * The sessions that a data source hands out, as far as they have been seen.
 *
 * <p><b>The rule.</b> An answer is shared only between equal sessions. Each load tells what session
 * it was read in; one that is not like those before is not shared. Once a kind of session has been
 * seen to differ within itself, nobody can tell what the next connection would have answered: then
 * only questions whose session is known are answered from a shelf.
 *
 * <p>Which kind a question belongs to the engineer may say, by a name for what differs, such as a
 * tenant or a role: within one name sessions must be equal.
 *
 * <p>Thread-safe.
 */
public final class Sessions {
  private static final Logger LOG = LoggerFactory.getLogger(Library.LOG);

  private final Database database;
  private final DataSource dataSource;
  private final @Nullable Supplier<String> naming;
  private final ConcurrentHashMap<String, Kind> kinds = new ConcurrentHashMap<>();
  private volatile @Nullable Kind first;

  /** Connections that were given back altered, by somebody who said so. */
  private final Set<Connection> altered = ConcurrentHashMap.newKeySet();

  /** Sessions that are called by one name. */
  public static final class Kind {
    private final String name;
    private final String ambient;
    private volatile boolean unequal;

    private Kind(String name, String ambient) {
      this.name = name;
      this.ambient = ambient;
    }

    public String name() {
      return name;
    }

    /** What the first of them was like. */
    public String ambient() {
      return ambient;
    }

    /** Whether one has been seen that was not like the first. */
    public boolean isUnequal() {
      return unequal;
    }
  }

  /**
   * @param naming what a question's session is called; null if all are alike
   */
  public Sessions(Database database, DataSource dataSource, @Nullable Supplier<String> naming) {
    this.database = database;
    this.dataSource = dataSource;
    this.naming = naming;
  }

  /**
   * Looks what the data source's sessions are like when nobody has named them.
   *
   * @throws SQLException if it cannot be asked
   */
  public Session look() throws SQLException {
    try (Borrowed borrowed = Borrowed.from(dataSource).autoCommit(true)) {
      Session session = database.session(borrowed.connection());
      begin(session);
      return session;
    }
  }

  /** That hands them out. */
  public DataSource source() {
    return dataSource;
  }

  /** That they are of. */
  public Database database() {
    return database;
  }

  private synchronized Kind begin(Session session) {
    Kind known = first;
    if (known == null) {
      known = new Kind("", session.ambient());
      first = known;
    }
    return known;
  }

  /** Whether questions say what their session is called. */
  public boolean areNamed() {
    return naming != null;
  }

  /**
   * The kind of which the data source's sessions are when nobody names them.
   *
   * @throws SQLException if nothing is known of it yet, and the data source cannot be asked
   */
  public Kind first() throws SQLException {
    Kind known = first;
    return known == null ? begin(look()) : known;
  }

  /**
   * The kind of session that a question asked now belongs to.
   *
   * @param held a connection that the caller holds, to ask if nothing is known of the kind yet
   */
  public Kind current(@Nullable Connection held) throws SQLException {
    if (naming == null) {
      return first();
    }
    String name = Objects.requireNonNull(naming.get(), "the name of the session");
    Kind known = kinds.get(name);
    if (known != null) {
      return known;
    }
    String ambient;
    if (held != null) {
      ambient = database.session(held).ambient();
    } else {
      try (Borrowed borrowed = Borrowed.from(dataSource).autoCommit(true)) {
        ambient = database.session(borrowed.connection()).ambient();
      }
    }
    Kind made = new Kind(name, ambient);
    Kind other = kinds.putIfAbsent(name, made);
    return other == null ? made : other;
  }

  /**
   * A connection whose session may be unlike others' is given back. As long as it lives, and has
   * not been seen to be like them again, a session that differs says nothing of the others.
   */
  public void isAtLarge(Connection physical) {
    altered.add(physical);
  }

  /** The session of a connection is like the others', again. */
  public void isLikeOthers(Connection physical) {
    if (!altered.isEmpty()) {
      altered.remove(physical);
    }
  }

  /** Whether no connection that may be given out next was given back altered. */
  public boolean allAreAlike() {
    return altered.isEmpty() || (altered.removeIf(Borrowed::isGone) && altered.isEmpty());
  }

  /**
   * Whether a session that was seen is like the others of its kind; notes it if not. One that only
   * has temporary tables is not, but may be so again: nothing is noted.
   */
  public boolean isLike(Kind kind, Session seen) {
    if (seen.ambient().equals(kind.ambient())) {
      return !seen.hasTemporary();
    }
    if (!kind.unequal && allAreAlike()) {
      kind.unequal = true;
      LOG.warn(
          "The data source hands out sessions that are not alike{}: {}. From now on questions are"
              + " answered by the database, unless they are asked within a transaction or on a"
              + " connection whose session is known. Make the sessions alike, or say with"
              + " sessionsNamed(...) which is which.",
          kind.name().isEmpty() ? "" : " under the name '" + kind.name() + "'",
          Session.difference(kind.ambient(), seen.ambient()));
    }
    return false;
  }
}
