package dev.warmshelf.measure.workload;

import dev.warmshelf.statement.SqlStatement;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Set;

/**
 * What is asked in a measured run, and who changes what meanwhile. Immutable.
 *
 * @param name for the report
 * @param data facts about the data, each a statement that gives one number
 * @param queries what readers ask; at least one
 * @param changes what writers do; may be empty
 * @param readsPerSecond at which readers ask; 0 for as fast as they can
 * @param writesPerSecond commits a second; 0 for none
 */
public record Workload(
    String name,
    Map<String, String> data,
    List<Statement> queries,
    List<Statement> changes,
    double readsPerSecond,
    double writesPerSecond) {

  /**
   * A statement that is issued again and again.
   *
   * @param label what to call it
   * @param weight how often it is issued, beside the others of its list
   * @param sql the statement, with named parameters
   * @param inputs how the value of each input is drawn; they come in this order
   * @param leftOut inputs that are no parameters: sent along, and left out of keys
   * @param versions what its rows tell about how new they are
   * @param mayBeOld how old an answer may be on purpose, counted from the first change that it
   *     misses; zero for not at all
   */
  public record Statement(
      String label,
      double weight,
      SqlStatement sql,
      Map<String, Input> inputs,
      Set<String> leftOut,
      List<VersionColumn> versions,
      Duration mayBeOld) {}
}
