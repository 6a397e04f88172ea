/** What was asked, in normal form, and what the answer was read from. */
@NullMarked
package dev.warmshelf.key;

import org.jspecify.annotations.NullMarked;
