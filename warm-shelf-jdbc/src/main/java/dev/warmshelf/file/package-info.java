/** Kept answers in a file, for a later process. */
@NullMarked
package dev.warmshelf.file;

import org.jspecify.annotations.NullMarked;
