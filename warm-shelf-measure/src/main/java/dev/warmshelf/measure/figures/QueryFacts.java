package dev.warmshelf.measure.figures;

import java.util.Optional;

/**
 * What a run found out of a query before it was timed.
 *
 * @param firstCallNanos how long its first direct read took: cold pages, and the statement yet to
 *     be prepared
 * @param refusal why its answers are not kept; empty if they are
 * @param index an index that would make its direct read cheaper; empty if none was found
 */
public record QueryFacts(long firstCallNanos, Optional<String> refusal, Optional<String> index) {}
