/** A comparison as plots and as a page. */
@NullMarked
package dev.warmshelf.cli.report;

import org.jspecify.annotations.NullMarked;
