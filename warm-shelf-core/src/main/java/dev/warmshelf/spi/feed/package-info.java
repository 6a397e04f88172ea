/** What tells the board about the database's changes. */
@NullMarked
package dev.warmshelf.spi.feed;

import org.jspecify.annotations.NullMarked;
