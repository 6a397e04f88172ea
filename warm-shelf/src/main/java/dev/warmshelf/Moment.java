package dev.warmshelf;

import java.time.Instant;
import java.util.Optional;
import org.jspecify.annotations.Nullable;

/**
 * What a piece of work gave whose readings were to be of one moment.
 *
 * @param at the moment at which all of them were true, on the wall clock; empty if they were not,
 *     or nobody knows
 */
public record Moment<V extends @Nullable Object>(V value, Optional<Instant> at) {}
