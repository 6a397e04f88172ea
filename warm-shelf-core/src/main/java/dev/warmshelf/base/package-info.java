/** What all rooms use: the name in logs, the version, times, digests, bounded memories. */
@NullMarked
package dev.warmshelf.base;

import org.jspecify.annotations.NullMarked;
