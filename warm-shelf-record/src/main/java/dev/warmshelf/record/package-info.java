/** Recordings: the questions that shelves were asked, in a file. */
@NullMarked
package dev.warmshelf.record;

import org.jspecify.annotations.NullMarked;
