/** Rows as they are kept, and as callers get them. */
@NullMarked
package dev.warmshelf.row;

import org.jspecify.annotations.NullMarked;
