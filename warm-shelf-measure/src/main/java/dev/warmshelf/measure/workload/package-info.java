/** What is asked and written in a measured run, and where the requests come from. */
@NullMarked
package dev.warmshelf.measure.workload;

import org.jspecify.annotations.NullMarked;
