/**
 * What a statement asks, and whether its answer may be kept.
 *
 * <p>{@link dev.warmshelf.sql.SqlStatement} is a text in normal form; {@link
 * dev.warmshelf.sql.Verdict} says whether its answers may be kept, with the footprint or the
 * reason; {@link dev.warmshelf.sql.Catalogue} is what the database knows of the names in it.
 */
@NullMarked
package dev.warmshelf.sql;

import org.jspecify.annotations.NullMarked;
