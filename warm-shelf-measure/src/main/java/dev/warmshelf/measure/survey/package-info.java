/** What a database's own statistics say of the reads that are worth keeping. */
@NullMarked
package dev.warmshelf.measure.survey;

import org.jspecify.annotations.NullMarked;
