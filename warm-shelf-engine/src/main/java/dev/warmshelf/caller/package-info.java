/** Who asks: sessions, what goes on on a connection, and what this program has written. */
@NullMarked
package dev.warmshelf.caller;

import org.jspecify.annotations.NullMarked;
