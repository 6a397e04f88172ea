/** Answers that leave the process: in a file for a later one, in a store for others. */
@NullMarked
package dev.warmshelf.outside;

import org.jspecify.annotations.NullMarked;
