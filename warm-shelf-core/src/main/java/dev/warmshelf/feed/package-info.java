/** What tells the board about the database's changes. */
@NullMarked
package dev.warmshelf.feed;

import org.jspecify.annotations.NullMarked;
