/** Races on the board and on shelves, run by jcstress; see docs/freshness.md. */
@NullMarked
package dev.warmshelf.stress;

import org.jspecify.annotations.NullMarked;
