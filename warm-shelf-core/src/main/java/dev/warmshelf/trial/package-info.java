/**
 * What exact trials need: which commits a read missed, whether keeping pays, and how sure that is.
 */
@NullMarked
package dev.warmshelf.trial;

import org.jspecify.annotations.NullMarked;
