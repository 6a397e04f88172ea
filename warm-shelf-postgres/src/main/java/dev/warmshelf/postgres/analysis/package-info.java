/** What PostgreSQL is asked about statements, sessions and the schema. */
@NullMarked
package dev.warmshelf.postgres.analysis;

import org.jspecify.annotations.NullMarked;
