/**
 * JDBC objects that ask the shelves before the database: they know JDBC, and nothing of queries.
 */
@NullMarked
package dev.warmshelf.driver;

import org.jspecify.annotations.NullMarked;
