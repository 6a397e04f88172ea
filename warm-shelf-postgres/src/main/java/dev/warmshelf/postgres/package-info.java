/** PostgreSQL, as the library knows databases. */
@NullMarked
package dev.warmshelf.postgres;

import org.jspecify.annotations.NullMarked;
