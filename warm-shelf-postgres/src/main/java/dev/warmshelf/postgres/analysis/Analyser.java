package dev.warmshelf.postgres.analysis;

import dev.warmshelf.database.Examined;
import dev.warmshelf.database.Session;
import dev.warmshelf.postgres.driver.SqlState;
import dev.warmshelf.postgres.tree.Analyst;
import dev.warmshelf.postgres.tree.TreeNode;
import dev.warmshelf.postgres.tree.TreeNode.UnreadableException;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.Refusal.Reason;
import dev.warmshelf.statement.SchemaObject;
import dev.warmshelf.statement.SchemaObject.Kind;
import dev.warmshelf.statement.SqlStatement;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.atomic.AtomicLong;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * Has PostgreSQL analyse statements, which it does as no other reader of its language can: the
 * statement is made the body of a temporary function, {@code BEGIN ATOMIC ... END} (manual, CREATE
 * FUNCTION), whose tree the catalogue then holds; the transaction is rolled back. Nothing is
 * planned, run or left behind.
 *
 * <p>Needs version 14 or later, and a role that may make temporary objects, as every role may by
 * default. Three round trips.
 *
 * <p>Thread-safe.
 */
public final class Analyser {
  /** What is asked of the catalogue, as against the statement itself, is looked up on this path. */
  private static final String ON_SYSTEM_PATH = "SET LOCAL search_path = " + SqlText.SYSTEM_PATH;

  /** As many arguments as a function may have. */
  private static final int MOST_VALUES = 100;

  /**
   * States of errors that come back however often one asks (manual, appendix A): of the statement,
   * of rights, of limits, and what an event trigger raises. Not those of the connection, of locks
   * and of timeouts.
   */
  private static final Pattern SAYS_SOMETHING = Pattern.compile("(0A|22|25|2B|3F|42|54|P0).*");

  /** {@code tsvector}, {@code tsquery}, {@code regconfig} and arrays of them (pg_type.dat). */
  private static final Set<Long> TEXT_SEARCH_TYPES =
      Set.of(3614L, 3615L, 3734L, 3643L, 3645L, 3735L);

  private static final Pattern SEVERITY = Pattern.compile("^[A-Z]+: *");
  private static final Pattern QUOTED = Pattern.compile("\"([^\"]+)\"");
  private static final AtomicLong NUMBERS = new AtomicLong();

  private final SystemObjects system = new SystemObjects();

  /**
   * Asks.
   *
   * @param connection with no transaction open on it, neither begun nor by a statement; in the
   *     middle of one, what that has done would be undone
   * @param statement any of those that share the text
   * @param text what to analyse
   * @throws SQLException if the database could not be asked; what is wrong with the statement is
   *     told as a refusal
   */
  public Examined examine(Connection connection, SqlStatement statement, AnalysedText text)
      throws SQLException {
    return examine(connection, statement, text, statement.names());
  }

  /**
   * The same for who does not watch whether the schema changes: what its names mean is not kept in
   * mind.
   *
   * @throws SQLException if the database could not be asked
   */
  public Analysis analyse(Connection connection, SqlStatement statement, AnalysedText text)
      throws SQLException {
    return examine(connection, statement, text, Set.of()).analysis();
  }

  /**
   * @param names whose meaning is watched
   */
  private Examined examine(
      Connection connection, SqlStatement statement, AnalysedText text, Set<String> names)
      throws SQLException {
    Refusal refusal = statement.refusal();
    if (refusal != null) {
      return refused(refusal, SessionQuestion.ask(connection));
    } else if (statement.cannotBePrepared()) { // else the server's log had an error
      return refused(
          new Refusal(Reason.NOT_UNDERSTOOD, "no such statement can be prepared", -1),
          SessionQuestion.ask(connection));
    } else if (text.types().size() > MOST_VALUES) {
      return refused(
          new Refusal(Reason.TOO_LONG, Integer.toString(MOST_VALUES), -1),
          SessionQuestion.ask(connection));
    }
    Asking asking = new Asking(connection, statement, text);
    try {
      return asking.examine(names);
    } catch (SQLException e) {
      asking.end();
      Refusal why = asking.refusal(e);
      if (why == null) {
        throw e;
      }
      return new Examined(Analysis.refused(why), SessionQuestion.ask(connection), asking.prints);
    } catch (UnreadableException e) {
      asking.end();
      Refusal unread = new Refusal(Reason.UNKNOWN_NODE, String.valueOf(e.getMessage()), -1);
      return new Examined(Analysis.refused(unread), SessionQuestion.ask(connection), asking.prints);
    } finally {
      asking.end(); // also after an error that is nobody's exception
    }
  }

  /**
   * Whether no transaction is open on a connection, so that one can be begun and undone on it. Asks
   * the server, since a transaction can be begun by a statement as well.
   *
   * @throws SQLException if the database could not be asked
   */
  public static boolean isFree(Connection connection) throws SQLException {
    if (!connection.getAutoCommit()) {
      return false;
    }
    try (Statement statement = connection.createStatement()) {
      statement.execute("SAVEPOINT warm_shelf");
      statement.execute("RELEASE SAVEPOINT warm_shelf");
      return false;
    } catch (SQLException e) {
      return SqlState.NO_ACTIVE_TRANSACTION.isOf(e); // there is none that it could be in
    }
  }

  private static Examined refused(Refusal refusal, Session session) {
    return new Examined(Analysis.refused(refusal), session, Map.of());
  }

  /** One asking, in one transaction. */
  private final class Asking {
    private final Connection connection;
    private final SqlStatement statement;
    private final AnalysedText text;
    private final String name;
    private final Map<SchemaObject, String> prints = new HashMap<>();
    private boolean typed;

    /** Whether a transaction may be open that this has begun. */
    private boolean open;

    Asking(Connection connection, SqlStatement statement, AnalysedText text) {
      this.connection = connection;
      this.statement = statement;
      this.text = text;
      this.name = "warm_shelf_" + Long.toHexString(System.nanoTime()) + NUMBERS.incrementAndGet();
    }

    Examined examine(Set<String> names) throws SQLException {
      Types types = types(names);
      FoundFacts facts = new FoundFacts(system);
      List<TreeNode> body = body(types.names(), facts);
      Map<Kind, Set<Long>> named = Analyst.named(body, facts);
      boolean searchesTexts =
          named.getOrDefault(Kind.TYPE, Set.of()).stream().anyMatch(TEXT_SEARCH_TYPES::contains);
      askOthers(facts.others(named), facts, searchesTexts, "ROLLBACK");
      // Defaults of arguments and checks of domains name further objects.
      for (Map<Kind, Set<Long>> more = facts.others(Analyst.named(facts.trees(), facts));
          more.values().stream().anyMatch(oids -> !oids.isEmpty());
          more = facts.others(Analyst.named(facts.trees(), facts))) {
        askOthers(more, facts, false, "");
      }
      Analysis analysis = new Analyst(facts, statement.saysMoment()).read(body);
      return new Examined(analysis, types.session(), prints);
    }

    private record Types(Session session, List<String> names) {}

    /** Begins, and asks what the names mean and of what types the parameters are. */
    private Types types(Set<String> names) throws SQLException {
      List<SchemaObject> named =
          names.stream().map(each -> new SchemaObject(Kind.NAME, each)).toList();
      String begin =
          connection.getAutoCommit()
              ? "BEGIN ISOLATION LEVEL READ COMMITTED READ WRITE"
              : "SET TRANSACTION ISOLATION LEVEL READ COMMITTED READ WRITE";
      String given = text.types().isEmpty() ? "" : "(" + String.join(", ", text.types()) + ")";
      String sql =
          String.join(
              ";\n",
              begin,
              SessionQuestion.TEXT,
              "SAVEPOINT warm_shelf",
              ON_SYSTEM_PATH,
              SchemaPrints.question(named),
              "ROLLBACK TO SAVEPOINT warm_shelf", // to the session's own path
              "PREPARE " + name + given + " AS " + text.sql() + "\n",
              "SELECT ARRAY(SELECT pg_catalog.format_type(t, NULL)"
                  + " FROM pg_catalog.unnest(parameter_types::pg_catalog.oid[]) t)"
                  + " FROM pg_catalog.pg_prepared_statements WHERE name OPERATOR(pg_catalog.=) '"
                  + name
                  + "'");
      open = true;
      try (Rows rows = Rows.ask(connection, sql)) {
        Session session = SessionQuestion.read(rows.next());
        prints.putAll(SchemaPrints.read(rows.next()));
        ResultSet row = rows.next();
        row.next();
        typed = true;
        return new Types(session, Rows.texts(row.getArray(1)));
      }
    }

    /** Makes the function, and reads its tree and what the catalogue says of its relations. */
    private List<TreeNode> body(List<String> types, FoundFacts facts) throws SQLException {
      String function = "'pg_temp." + name + "'::regproc::oid";
      String create =
          "CREATE FUNCTION pg_temp."
              + name
              + "("
              + String.join(", ", types)
              + ") RETURNS void LANGUAGE sql BEGIN ATOMIC "
              + text.sql()
              + "\n; END";
      // In a string of its own: drivers split a text at semicolons, but not behind BEGIN ATOMIC.
      String block = "BEGIN EXECUTE " + SqlText.body(create) + "; END";
      String sql =
          String.join(
              ";\n",
              "DEALLOCATE " + name,
              "DO " + SqlText.body(block),
              ON_SYSTEM_PATH,
              "SELECT prosqlbody::text FROM pg_catalog.pg_proc WHERE oid = " + function,
              FoundFacts.relationsOf(function),
              FoundFacts.rolesOf(function));
      try (Rows rows = Rows.ask(connection, sql)) {
        ResultSet row = rows.next();
        row.next();
        List<TreeNode> body = TreeNode.read(row.getString(1));
        facts.readRelations(rows.next(), prints);
        prints.putAll(SchemaPrints.read(rows.next()));
        return body;
      }
    }

    /** Asks about what is not known. */
    private void askOthers(
        Map<Kind, Set<Long>> others, FoundFacts facts, boolean searchesTexts, String last)
        throws SQLException {
      if (!searchesTexts && others.values().stream().allMatch(Set::isEmpty)) {
        end();
        return;
      }
      List<String> parts = new ArrayList<>(FoundFacts.questions(others));
      parts.add(
          SchemaPrints.question(
              searchesTexts ? Set.of(new SchemaObject(Kind.TEXT_SEARCH, "")) : Set.of()));
      parts.add(last);
      try (Rows rows = Rows.ask(connection, String.join(";\n", parts))) {
        facts.readOthers(rows, prints);
        prints.putAll(SchemaPrints.read(rows.next()));
        open &= last.isEmpty();
      }
    }

    /**
     * Ends the transaction, unless it has ended. A connection on which that fails is ended itself:
     * an open transaction must not be left to whoever has it next, and on the server it would keep
     * every reader of the journal that comes later waiting.
     */
    void end() throws SQLException {
      if (!open) {
        return;
      }
      boolean ended = false;
      try (Statement end = connection.createStatement()) {
        end.execute("ROLLBACK");
        ended = true;
      } finally {
        open = false;
        if (!ended) {
          connection.abort(Runnable::run);
        }
      }
    }

    /** What an error says of the statement; null if it says nothing of it. */
    @Nullable Refusal refusal(SQLException e) {
      String state = String.valueOf(e.getSQLState());
      String message = SEVERITY.matcher(String.valueOf(e.getMessage())).replaceFirst("");
      message = message.lines().findFirst().orElse("");
      if (!SAYS_SOMETHING.matcher(state).matches()) {
        return null;
      } else if (typed) { // the statement is right, but asking about it is not allowed
        return new Refusal(Reason.MAY_NOT_ASK, message, -1);
      }
      Matcher quoted = QUOTED.matcher(message);
      String word = quoted.find() ? quoted.group(1) : "";
      return new Refusal(Reason.NOT_UNDERSTOOD, message, Refusal.lower(word), -1, List.of());
    }
  }
}
