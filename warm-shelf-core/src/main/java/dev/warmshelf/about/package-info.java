/** The library itself: its name in logs, its version. */
@NullMarked
package dev.warmshelf.about;

import org.jspecify.annotations.NullMarked;
