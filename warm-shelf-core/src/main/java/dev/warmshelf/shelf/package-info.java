/** A named place for answers, with one policy. */
@NullMarked
package dev.warmshelf.shelf;

import org.jspecify.annotations.NullMarked;
