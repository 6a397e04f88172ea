/** What a run has found, way by way and query by query. */
@NullMarked
package dev.warmshelf.measure.figures;

import org.jspecify.annotations.NullMarked;
