/** Where entries live, and which of them leaves when room is short. */
@NullMarked
package dev.warmshelf.store;

import org.jspecify.annotations.NullMarked;
