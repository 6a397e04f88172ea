package dev.warmshelf.engine;

import dev.warmshelf.answer.AnswerForm;
import dev.warmshelf.answer.Binding;
import dev.warmshelf.caller.Over;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.outside.SharedForm;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.Balance;
import dev.warmshelf.shelf.read.Observation;
import dev.warmshelf.shelf.read.Scope;
import dev.warmshelf.statement.Refusal;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.Verdict;
import dev.warmshelf.verdict.Verdicts;
import dev.warmshelf.verdict.Verdicts.Judged;
import java.sql.SQLException;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A statement whose answers are kept on one shelf, in one form, under keys of one making.
 * Thread-safe.
 */
public final class KeptStatement {
  private final Engine engine;
  private final AnswerShelf shelf;
  private final SqlStatement statement;
  private final QueryLoader loading;
  private final int[] mayBeLists;
  private final List<String> declared;
  private final List<Lane> tags;
  private final KeyMaker keys;
  private final boolean needsReadOnly;
  private final @Nullable Balance balance;

  /** The types that values are bound as; null if their classes tell. */
  private final @Nullable List<String> boundAs;

  private volatile @Nullable Last last;
  private volatile @Nullable SharedForm sharedForm;

  /** A query of the engineer's: its parameters have names, and answers are values. */
  public KeptStatement(
      Engine engine,
      AnswerShelf shelf,
      SqlStatement statement,
      List<String> declared,
      List<Lane> tags,
      KeyMaker keys) {
    this.needsReadOnly = false;
    this.engine = engine;
    this.shelf = shelf;
    this.statement = statement;
    this.loading =
        new QueryLoader(engine.database(), statement.driverText(), statement.driverOrder());
    this.mayBeLists = statement.mayBeLists().stream().mapToInt(Integer::intValue).toArray();
    this.boundAs = null;
    this.declared = declared;
    this.tags = tags;
    this.keys = keys;
    this.balance = shelf.balance(keys.form());
  }

  /**
   * A program's own statement, which is sent as it is.
   *
   * @param types that its values are bound as
   * @param needsReadOnly whether its answers are not for transactions that may write
   */
  public KeptStatement(
      Engine engine,
      AnswerShelf shelf,
      SqlStatement statement,
      KeyMaker keys,
      AnswerForm form,
      List<String> types,
      boolean needsReadOnly) {
    this.needsReadOnly = needsReadOnly;
    this.engine = engine;
    this.shelf = shelf;
    this.statement = statement;
    this.loading =
        new QueryLoader(
            engine.database(), statement.text(), statement.driverOrder(), form, Binding::bind);
    this.mayBeLists = new int[0];
    this.boundAs = List.copyOf(types);
    this.declared = List.of();
    this.tags = List.of();
    this.keys = keys;
    this.balance = shelf.balance(keys.form());
  }

  /** The last verdict, which is nearly always the next. */
  private static final class Last {
    private final Sessions.Kind kind;
    private final @Nullable Class<?>[] classes;
    private final List<String> types;
    private final Judged judged;

    Last(Sessions.Kind kind, @Nullable Object[] values, List<String> types, Judged judged) {
      this.kind = kind;
      this.classes = new @Nullable Class<?>[values.length];
      for (int i = 0; i < values.length; i++) {
        Object value = values[i];
        classes[i] = value == null ? null : value.getClass();
      }
      this.types = types;
      this.judged = judged;
    }

    boolean isOfTypesOf(@Nullable Object[] values) {
      for (int i = 0; i < values.length; i++) {
        Object value = values[i];
        boolean alike =
            value instanceof List<?>
                ? Binding.typeOf(value).equals(types.get(i))
                : (value == null ? null : value.getClass()) == classes[i];
        if (!alike) {
          return false;
        }
      }
      return true;
    }
  }

  /**
   * The verdict for values and a kind of session; null as {@link Verdicts#judged} says.
   *
   * @param over how to ask the database if it must be asked
   */
  @Nullable Judged judged(@Nullable Object[] values, Sessions.Kind kind, Over over)
      throws SQLException {
    Last known = last;
    if (known != null
        && known.kind == kind
        && (boundAs != null || known.isOfTypesOf(values))
        && known.judged.holdsFor(engine.schemaVersion())) {
      return known.judged;
    }
    List<String> types = boundAs != null ? boundAs : Binding.typesOf(values);
    Judged judged = engine.verdicts().judged(statement, types, declared, kind, over);
    if (judged != null) {
      engine.admitSurvivors(keys.form(), shelf, loading.form(), judged);
      last = new Last(kind, values, types, judged);
    }
    return judged;
  }

  /** A read of this query went to the database, since it is refused. */
  void wasRefused(Refusal refusal) {
    engine.verdicts().refusals().count(statement, refusal);
  }

  /**
   * The verdict as far as it can be told before the parameters have values.
   *
   * @throws SQLException as {@code ShelvedQuery.verdict} says
   */
  public Verdict verdict() throws SQLException {
    List<String> types = statement.unknownTypes();
    Sessions.Kind kind = engine.sessions().first();
    Judged found = engine.verdicts().judged(statement, types, declared, kind, Over.Plain.ANY);
    if (found == null) {
      throw new SQLException("The data source hands out sessions that are not alike.");
    }
    return found.verdict();
  }

  /** How the database is asked with these values: a list in {@code IN (...)} goes as an array. */
  QueryLoader loading(@Nullable Object[] values) {
    for (int parameter : mayBeLists) {
      if (values[parameter] instanceof List<?>) {
        return new QueryLoader(
            engine.database(),
            statement.driverText(each -> values[each] instanceof List<?>),
            statement.driverOrder());
      }
    }
    return loading;
  }

  /**
   * What keeping its answers gives and costs, where it stands down just now, and whoever asks needs
   * nothing that a shelf alone can tell; null else. The database is to be asked then.
   */
  public @Nullable Balance standingDown() {
    return balance != null && balance.isDown() && needsNoShelf() ? balance : null;
  }

  /** What is read in a scope, or by a computation, must be what a shelf gives. */
  static boolean needsNoShelf() {
    return Scope.current() == null && Observation.current() == null;
  }

  /** Its answers are used where nobody counts that: it never stands down. */
  public void isUsedUnseen() {
    if (balance != null) {
      balance.isUsedUnseen();
    }
  }

  public AnswerShelf shelf() {
    return shelf;
  }

  /** Whether its answers are not for transactions that may write. */
  public boolean needsReadOnly() {
    return needsReadOnly;
  }

  /** That answers are kept in. */
  AnswerForm answerForm() {
    return loading.form();
  }

  /** The last one that was made of it, which is nearly always the next. */
  @Nullable SharedForm sharedForm() {
    return sharedForm;
  }

  void sharedForm(SharedForm made) {
    sharedForm = made;
  }

  /** As the engineer wrote it. */
  public String text() {
    return statement.text();
  }

  public String normalForm() {
    return statement.normalForm();
  }

  Engine engine() {
    return engine;
  }

  public KeyMaker keys() {
    return keys;
  }

  List<Lane> tags() {
    return tags;
  }
}
