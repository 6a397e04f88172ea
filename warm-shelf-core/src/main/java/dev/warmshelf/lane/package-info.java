/** What an answer depends on: lanes, footprints, and how a question's footprint follows from it. */
@NullMarked
package dev.warmshelf.lane;

import org.jspecify.annotations.NullMarked;
