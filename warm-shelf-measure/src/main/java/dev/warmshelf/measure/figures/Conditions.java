package dev.warmshelf.measure.figures;

import dev.warmshelf.measure.database.DatabaseFacts;
import java.time.Duration;

/**
 * What was run, so that anybody can run it again.
 *
 * @param workload its name
 * @param database what it was run on
 * @param settings what was asked for
 * @param pace how fast the readers asked
 * @param digest names the request stream; the same seed, workload and readers give the same
 * @param warmedUp how long it ran before anything was counted
 * @param took how long it ran after that
 */
public record Conditions(
    String workload,
    DatabaseFacts database,
    RunSettings settings,
    Pace pace,
    String digest,
    Duration warmedUp,
    Duration took) {}
