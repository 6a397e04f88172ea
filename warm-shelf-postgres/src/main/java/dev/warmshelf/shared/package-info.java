/** A PostgreSQL in which several processes keep answers for each other. */
@NullMarked
package dev.warmshelf.shared;

import org.jspecify.annotations.NullMarked;
