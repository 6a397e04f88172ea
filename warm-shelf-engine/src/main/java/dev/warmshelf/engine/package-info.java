/** A question from being asked to its answer. */
@NullMarked
package dev.warmshelf.engine;

import org.jspecify.annotations.NullMarked;
