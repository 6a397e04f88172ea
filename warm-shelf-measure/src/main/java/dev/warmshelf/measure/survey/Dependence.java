package dev.warmshelf.measure.survey;

import dev.warmshelf.lane.Lane;
import java.util.Set;

/**
 * One table that a statement's answers depend on.
 *
 * @param columns that are read of it
 * @param reach to which of its rows, in words, if its changes are told apart by the best column, or
 *     a roster says which of them can reach an answer
 * @param changesPerSecond how often it changes: by the statements that were seen to write to it,
 *     and each row that they do not account for
 * @param reachingPerSecond how often a change reaches one answer, if its changes are told apart
 */
public record Dependence(
    Lane table,
    Set<String> columns,
    String reach,
    double changesPerSecond,
    double reachingPerSecond) {}
