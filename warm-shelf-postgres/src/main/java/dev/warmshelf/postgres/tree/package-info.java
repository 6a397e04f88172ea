/** The server's analysed tree of a statement, and what is read off it. */
@NullMarked
package dev.warmshelf.postgres.tree;

import org.jspecify.annotations.NullMarked;
