/**
 * SQL statements, as a shelf sees them. {@link dev.warmshelf.sql.SqlStatement} gives the normal
 * form that is in keys; {@link dev.warmshelf.sql.Analysed} puts together what a text says with what
 * the database says of it, and gives the {@link dev.warmshelf.sql.Verdict}: lanes, or a reason.
 */
@NullMarked
package dev.warmshelf.sql;

import org.jspecify.annotations.NullMarked;
