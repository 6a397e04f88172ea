/** From what a feed tells to ticks on a board; and this process's own changes among it. */
@NullMarked
package dev.warmshelf.delivery;

import org.jspecify.annotations.NullMarked;
