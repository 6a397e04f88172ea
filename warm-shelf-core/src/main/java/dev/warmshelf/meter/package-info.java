/** Counts, latencies and exact staleness. */
@NullMarked
package dev.warmshelf.meter;

import org.jspecify.annotations.NullMarked;
