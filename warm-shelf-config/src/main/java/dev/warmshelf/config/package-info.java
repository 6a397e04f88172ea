/** A file, and the environment, to shelves under a program. */
@NullMarked
package dev.warmshelf.config;

import org.jspecify.annotations.NullMarked;
