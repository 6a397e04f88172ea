/** Benchmarks. Built, not run, by the default build; docs/performance.md says how to run them. */
@NullMarked
package dev.warmshelf.bench;

import org.jspecify.annotations.NullMarked;
