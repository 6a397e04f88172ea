/** When each lane last changed, and how an entry is known to be still true. */
@NullMarked
package dev.warmshelf.fresh;

import org.jspecify.annotations.NullMarked;
