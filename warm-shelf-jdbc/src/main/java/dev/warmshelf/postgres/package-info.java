/** What is particular to PostgreSQL. */
@NullMarked
package dev.warmshelf.postgres;

import org.jspecify.annotations.NullMarked;
