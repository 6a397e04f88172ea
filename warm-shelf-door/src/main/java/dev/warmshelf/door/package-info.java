/** JDBC objects that ask the shelves before the database, and what they ask. */
@NullMarked
package dev.warmshelf.door;

import org.jspecify.annotations.NullMarked;
