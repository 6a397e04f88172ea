/** A run: several ways to read, side by side, while others write. */
@NullMarked
package dev.warmshelf.measure.run;

import org.jspecify.annotations.NullMarked;
