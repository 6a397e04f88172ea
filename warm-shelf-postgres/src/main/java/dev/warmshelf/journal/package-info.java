/**
 * The change feed for databases with triggers: a journal that the triggers write and a poll reads.
 */
@NullMarked
package dev.warmshelf.journal;

import org.jspecify.annotations.NullMarked;
