/**
 * What a program uses: {@link dev.warmshelf.WarmShelf} over a DataSource, queries whose answers are
 * kept, and readings.
 */
@NullMarked
package dev.warmshelf;

import org.jspecify.annotations.NullMarked;
