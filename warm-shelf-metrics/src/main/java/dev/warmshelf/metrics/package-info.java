/** What shelves and their feed count, for a Micrometer registry. */
@NullMarked
package dev.warmshelf.metrics;

import org.jspecify.annotations.NullMarked;
