/** What the database says of itself: its work, its plans, what it holds. */
@NullMarked
package dev.warmshelf.measure.database;

import org.jspecify.annotations.NullMarked;
