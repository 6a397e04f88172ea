/** Small programs to copy from. */
@NullMarked
package dev.warmshelf.examples;

import org.jspecify.annotations.NullMarked;
