/** Clocks, and moments up to which everything is known. */
@NullMarked
package dev.warmshelf.time;

import org.jspecify.annotations.NullMarked;
