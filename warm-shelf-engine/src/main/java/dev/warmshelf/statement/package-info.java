/**
 * SQL statements, as a shelf sees them. {@link dev.warmshelf.statement.SqlStatement} gives the
 * normal form that is in keys; {@link dev.warmshelf.statement.Analysed} puts together what a text
 * says with what the database says of it, and gives the {@link dev.warmshelf.statement.Verdict}:
 * lanes, or a reason.
 */
@NullMarked
package dev.warmshelf.statement;

import org.jspecify.annotations.NullMarked;
