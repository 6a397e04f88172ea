/** Rows as they are kept, and as callers get them. */
@NullMarked
package dev.warmshelf.answer;

import org.jspecify.annotations.NullMarked;
