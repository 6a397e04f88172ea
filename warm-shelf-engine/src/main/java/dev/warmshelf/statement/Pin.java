package dev.warmshelf.statement;

import dev.warmshelf.key.ValuePlan.Source;
import dev.warmshelf.lane.Lane;
import java.util.List;

/**
 * A fact about a statement: of this table, only rows whose column has one of these values can count
 * in its answer.
 *
 * @param table the table's lane
 * @param column the column, as the catalogue spells it
 * @param values constants and parameters; any of them
 */
public record Pin(Lane table, String column, List<Source> values) {}
