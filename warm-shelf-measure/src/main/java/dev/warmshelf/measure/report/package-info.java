/** What a run has found, as tables, fields, plots and a page. */
@NullMarked
package dev.warmshelf.measure.report;

import org.jspecify.annotations.NullMarked;
