package dev.warmshelf.statement;

import dev.warmshelf.lane.ColumnKind;
import dev.warmshelf.lane.Lane;
import dev.warmshelf.plan.MendingPlan;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import org.jspecify.annotations.Nullable;

/**
 * What is read off a statement's tree: whether its answers may be kept, and what they depend on.
 * Holds for all texts of one normal form with values of the same types.
 *
 * @param refusal why they may not be kept; null if they may
 * @param traits what else is certain of it
 * @param written lanes of the tables that it names as changed; null if that is not certain
 * @param tables each place at which a table is read
 * @param columns by table, the columns that are read of it
 * @param mendable how the answer falls into parts that can be asked for alone
 */
public record Analysis(
    @Nullable Refusal refusal,
    Set<Trait> traits,
    @Nullable Set<Lane> written,
    List<TableRead> tables,
    SortedMap<Lane, Set<String>> columns,
    Mendable mendable) {
  /** Keeps copies. */
  public Analysis {
    traits = Set.copyOf(traits);
  }

  /** What may be certain of a statement. */
  public enum Trait {
    /** Running it can do nothing but read. */
    ONLY_READS,
    /** A string among its values could be read as a moment, such as 'now'. */
    TEXTS_MATTER,
    /** The data alone decide its answer, up to the order of rows that are tied. */
    DECIDED
  }

  /** Whether running it can do nothing but read. */
  public boolean onlyReads() {
    return traits.contains(Trait.ONLY_READS);
  }

  /** Whether a string among its values could be read as a moment, such as 'now'. */
  public boolean textsMatter() {
    return traits.contains(Trait.TEXTS_MATTER);
  }

  /**
   * Whether the data alone decide its answer, up to the order of rows that are tied: it neither
   * cuts off or numbers rows by an order, nor adds up what gives another sum in another order.
   */
  public boolean isDecided() {
    return traits.contains(Trait.DECIDED);
  }

  /**
   * How an answer falls into independent parts.
   *
   * @param divisions none if it does not
   * @param order by what its rows are ordered
   * @param whyNot in words, if it does not; else empty
   */
  public record Mendable(List<Division> divisions, List<MendingPlan.Sort> order, String whyNot) {
    public static Mendable not(String why) {
      return new Mendable(List.of(), List.of(), why);
    }
  }

  /**
   * A column of the answer by whose values it falls into parts.
   *
   * @param position of the column, from 0
   * @param tellers by table, the columns that say to which parts its rows belong
   */
  public record Division(int position, ColumnKind kind, Map<Lane, List<Teller>> tellers) {}

  /** A column that says to which part a row belongs. */
  public record Teller(String column, ColumnKind kind) {}

  /**
   * One place at which a table is read.
   *
   * @param kinds the columns by whose values its rows can be told apart
   * @param pins by column, the values of which one it must have for a row to count
   * @param told by column, the position in the answer of a column that holds the values of all rows
   *     that count
   * @param shown columns of which each row that counts shows its value in the answer
   * @param ties to tables with values of their own to have, or tied to such
   */
  public record TableRead(
      Lane table,
      Map<String, ColumnKind> kinds,
      Map<String, List<PinValue>> pins,
      Map<String, Integer> told,
      List<Shown> shown,
      List<Tie> ties) {}

  /**
   * A column of which each row that counts shows its value in the answer.
   *
   * @param position in the answer, from 0
   * @param deciding the table's columns that decide whether a row counts
   */
  public record Shown(String column, int position, Set<String> deciding) {}

  /**
   * An equality that must hold between a column of one table and one of another for a row of the
   * one to count.
   *
   * @param its the other's column
   */
  public record Tie(String column, ColumnKind kind, TableRead to, String its) {}

  /** A value that a column is pinned to. */
  public sealed interface PinValue {
    /**
     * What is bound to a parameter.
     *
     * @param number as the analysed text counts it, from 1
     */
    record Bound(int number) implements PinValue {}

    /** A value that stands in the text; null is equal to nothing. */
    record Fixed(@Nullable Object value) implements PinValue {}
  }

  public static final Mendable NOT_MENDABLE = Mendable.not("nothing is kept of it");

  /** Of a statement whose tree could not be read, or was not to be. */
  public static Analysis refused(Refusal refusal) {
    return new Analysis(
        refusal, Set.of(), null, List.of(), Collections.emptySortedMap(), NOT_MENDABLE);
  }
}
