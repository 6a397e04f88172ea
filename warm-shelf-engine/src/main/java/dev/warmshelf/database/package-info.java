/** What the library asks of a database, whichever it is. */
@NullMarked
package dev.warmshelf.database;

import org.jspecify.annotations.NullMarked;
