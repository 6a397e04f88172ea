/** Counts, times and tables in plain text. */
@NullMarked
package dev.warmshelf.measure.text;

import org.jspecify.annotations.NullMarked;
