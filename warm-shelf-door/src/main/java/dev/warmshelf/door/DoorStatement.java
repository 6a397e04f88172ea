package dev.warmshelf.door;

import dev.warmshelf.caller.Over;
import dev.warmshelf.caller.Sessions;
import dev.warmshelf.engine.Engine;
import dev.warmshelf.engine.KeptStatement;
import dev.warmshelf.engine.KeyMaker;
import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Prospect;
import dev.warmshelf.shelf.Recipe;
import dev.warmshelf.shelf.Rule;
import dev.warmshelf.shelf.read.AnswerShelf;
import dev.warmshelf.shelf.read.AskedQuestion;
import dev.warmshelf.statement.AnalysedText;
import dev.warmshelf.statement.Analysis;
import dev.warmshelf.statement.SqlStatement;
import dev.warmshelf.statement.Verdict;
import dev.warmshelf.verdict.Verdicts;
import dev.warmshelf.verdict.Verdicts.Judged;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.jspecify.annotations.Nullable;

/**
 * A program's statement with values of certain types: what the database has said of it, and what
 * the rules say. Thread-safe; racing threads find the same.
 */
final class DoorStatement {
  private final Door door;
  private final SqlStatement statement;
  private final List<String> marks;
  private final List<String> types;
  private final String zone;
  private final AnalysedText text;
  private volatile @Nullable Heard heard;
  private volatile @Nullable Decision decision;
  private volatile @Nullable KeptStatement observed;
  private volatile @Nullable KeyMaker unkept;

  /** What the database has said, for a kind of session. */
  private record Heard(Sessions.Kind kind, Verdicts.Known known) {}

  /**
   * What the rules say.
   *
   * @param standsOn what was known of the statement; null if no rule needed anything of it
   * @param rule the first that fits; null if none does
   */
  private record Ruling(Verdicts.@Nullable Known standsOn, @Nullable Rule rule) {}

  /**
   * What the rules have said.
   *
   * @param standsOn what was known of the statement; null if the rule needed nothing of it
   * @param isRuled whether a rule fits
   * @param kept null if nothing is
   */
  private record Decision(
      Sessions.Kind kind,
      Verdicts.@Nullable Known standsOn,
      boolean isRuled,
      @Nullable KeptStatement kept) {
    boolean holds(Sessions.Kind now) {
      return standsOn == null || (kind == now && !standsOn.isOutdated());
    }
  }

  /**
   * @param zone of the virtual machine, if values are sent as texts that depend on it
   */
  DoorStatement(
      Door door, SqlStatement statement, List<String> marks, List<String> types, String zone) {
    this.door = door;
    this.statement = statement;
    this.marks = marks;
    this.types = List.copyOf(types);
    this.zone = zone;
    this.text = statement.analysedText(types);
  }

  boolean isBoundAs(List<String> others, String otherZone) {
    return types.equals(others) && zone.equals(otherZone);
  }

  /**
   * What the database says of it; null as long as that is not known. It is asked in the background.
   */
  @Nullable Analysis analysis(Sessions.Kind kind) throws SQLException {
    Verdicts.Known known = known(kind, Over.Plain.NONE);
    return known == null ? null : known.analysis();
  }

  private Verdicts.@Nullable Known known(Sessions.Kind kind, Over over) throws SQLException {
    Heard before = heard;
    if (before != null && before.kind() == kind && !before.known().isOutdated()) {
      return before.known();
    }
    Verdicts.Known known = door.engine().verdicts().known(statement, text, kind, over);
    if (known != null) {
      heard = new Heard(kind, known);
    }
    return known;
  }

  /** What is kept of it, by the first rule that fits; null if nothing is, or that is not known. */
  @Nullable KeptStatement kept(Sessions.Kind kind) throws SQLException {
    Decision before = decision;
    if (before != null && before.holds(kind)) {
      return before.kept();
    }
    Decision now = decide(kind);
    decision = now;
    return now == null ? null : now.kept();
  }

  private @Nullable Decision decide(Sessions.Kind kind) throws SQLException {
    Ruling ruling = ruling(kind, Over.Plain.NONE);
    if (ruling == null) {
      return null;
    }
    Rule rule = ruling.rule();
    if (rule == null) {
      return new Decision(kind, ruling.standsOn(), false, null);
    }
    door.asked().of(statement).stands(rule.standing());
    String shelf = rule.shelf();
    return new Decision(
        kind,
        ruling.standsOn(),
        true,
        shelf == null
            ? null
            : keptOn(
                door.engine().shelf(shelf), door.engine().recipeOf(shelf), rule.needsReadOnly()));
  }

  /** Null as long as a rule that may fit cannot be judged. */
  private @Nullable Ruling ruling(Sessions.Kind kind, Over over) throws SQLException {
    String digest = statement.formDigest();
    Verdicts.Known known = null;
    for (Rule rule : door.rules()) {
      boolean fits = rule.fitsText(marks, digest);
      if (!fits && rule.needsTables()) {
        known = known(kind, over);
        if (known == null) {
          return null;
        }
        fits = rule.fitsTables(tables(known.analysis()));
      }
      if (fits) {
        return new Ruling(known, rule);
      }
    }
    return new Ruling(known, null);
  }

  private static List<Set<String>> tables(Analysis analysis) {
    return analysis.columns().keySet().stream().map(Lane::tableNames).toList();
  }

  /**
   * What would become of it, whether or not it has been asked.
   *
   * @throws SQLException if the database could not be asked
   */
  Prospect prospect(Sessions.Kind kind) throws SQLException {
    Ruling ruling = ruling(kind, Over.Plain.ANY);
    Judged judged =
        door.engine().verdicts().judged(statement, types, List.of(), kind, Over.Plain.ANY);
    if (ruling == null || judged == null) {
      throw new SQLException("The data source hands out sessions that are not alike.");
    }
    String refusal =
        judged.verdict() instanceof Verdict.Refused refused ? refused.refusal().message() : "";
    return new Prospect(statement.formDigest(), Optional.ofNullable(ruling.rule()), refusal);
  }

  /**
   * As part of what a computation reads; null if a rule decides about it, or that is not known yet.
   */
  @Nullable KeptStatement observed(Sessions.Kind kind) throws SQLException {
    kept(kind);
    Decision decided = decision;
    if (decided == null || decided.isRuled()) {
      return null;
    }
    KeptStatement known = observed;
    if (known == null) {
      known = keptOn(door.engine().observedShelf(), Recipe.plain(), false);
      observed = known;
    }
    return known;
  }

  private KeptStatement keptOn(AnswerShelf shelf, Recipe recipe, boolean needsReadOnly) {
    Engine engine = door.engine();
    engine.remember(statement);
    return new KeptStatement(
        engine, shelf, statement, keys(recipe.addingOnly()), door.form(), types, needsReadOnly);
  }

  private KeyMaker keys(Recipe recipe) {
    List<String> notes = new ArrayList<>();
    notes.add("rows as the driver has them");
    if (!types.isEmpty()) {
      notes.add("bound as " + String.join(", ", types));
    }
    if (!zone.isEmpty()) {
      notes.add("in zone " + zone);
    }
    Engine engine = door.engine();
    return new KeyMaker(engine.namespace(), statement, notes, recipe, engine.sessions().areNamed());
  }

  /** Tells whoever records that the database has answered it. */
  void wasAnswered(@Nullable Object[] values, Sessions.Kind kind, long tookNanos)
      throws SQLException {
    KeptStatement kept = kept(kind);
    KeyMaker keys = kept == null ? unkeptKeys() : kept.keys();
    String shelf = kept == null ? "" : kept.shelf().name();
    List<String> names = keys.parameterList();
    AskedQuestion words = new AskedQuestion(statement.text(), names, Arrays.asList(values));
    Key key = keys.key(values, kind);
    door.engine().around().asked(shelf, key, words, Origin.DIRECT, tookNanos, null, null);
  }

  private KeyMaker unkeptKeys() {
    KeyMaker known = unkept;
    if (known == null) {
      known = keys(Recipe.plain());
      unkept = known;
    }
    return known;
  }
}
