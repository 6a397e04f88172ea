package dev.warmshelf.cli.measure;

import java.util.Map;
import java.util.function.BooleanSupplier;

/**
 * What a read brought.
 *
 * @param versions of all that the answer shows
 * @param ticked whether the feed has by now told that the answer is out of date; asked after the
 *     run, to tell a late answer from one that would never have been put out
 */
record Seen(Map<Scope, Long> versions, BooleanSupplier ticked) {}
