/** Random statements and random changes, compared with the database. */
@NullMarked
package dev.warmshelf.hunt;

import org.jspecify.annotations.NullMarked;
