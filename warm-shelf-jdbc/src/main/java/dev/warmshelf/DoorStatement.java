package dev.warmshelf;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.sql.AnalysedText;
import dev.warmshelf.sql.SqlStatement;
import dev.warmshelf.sql.tree.Analysis;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
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

  /** What the database has said, for a kind of session. */
  private record Heard(Sessions.Kind kind, Verdicts.Known known) {}

  /**
   * What the rules have said.
   *
   * @param standsOn what was known of the statement; null if the rule needed nothing of it
   * @param kept null if nothing is
   */
  private record Decision(
      Sessions.Kind kind, Verdicts.@Nullable Known standsOn, @Nullable KeptStatement kept) {
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
    Verdicts.Known known = known(kind);
    return known == null ? null : known.analysis();
  }

  private Verdicts.@Nullable Known known(Sessions.Kind kind) throws SQLException {
    Heard before = heard;
    if (before != null && before.kind() == kind && !before.known().isOutdated()) {
      return before.known();
    }
    Verdicts.Known known = door.warm().verdicts().known(statement, text, kind, Verdicts.NONE);
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

  /** Null as long as a rule that may fit cannot be judged. */
  private @Nullable Decision decide(Sessions.Kind kind) throws SQLException {
    String digest = statement.formDigest();
    Verdicts.Known known = null;
    for (Rule rule : door.rules()) {
      boolean fits = rule.fitsText(marks, digest);
      if (!fits && rule.needsTables()) {
        known = known(kind);
        if (known == null) {
          return null;
        }
        fits = rule.fitsTables(tables(known.analysis()));
      }
      if (fits) {
        String shelf = rule.shelf();
        door.asked().of(statement).stands(shelf == null ? "a rule: not kept" : "kept on " + shelf);
        return new Decision(kind, known, shelf == null ? null : keptOn(shelf));
      }
    }
    return new Decision(kind, known, null);
  }

  private static List<Set<String>> tables(Analysis analysis) {
    return analysis.columns().keySet().stream().map(Lane::tableNames).toList();
  }

  private KeptStatement keptOn(String shelf) {
    WarmShelf warm = door.warm();
    List<String> notes = new ArrayList<>();
    notes.add("rows as the driver has them");
    if (!types.isEmpty()) {
      notes.add("bound as " + String.join(", ", types));
    }
    if (!zone.isEmpty()) {
      notes.add("in zone " + zone);
    }
    KeyMaker keys =
        new KeyMaker(
            warm.namespace(),
            statement,
            notes,
            warm.recipeOf(shelf).addingOnly(),
            warm.sessions().areNamed());
    warm.remember(statement);
    return new KeptStatement(warm, warm.shelf(shelf), statement, keys, door.form(), types);
  }
}
