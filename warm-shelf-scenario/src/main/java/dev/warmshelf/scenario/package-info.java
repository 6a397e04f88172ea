/**
 * Skerry Line, a made-up ferry company: its schema, its data, its questions and its writers, and a
 * PostgreSQL to hold them. The demo, the tests, the examples and the benchmarks share it.
 */
@NullMarked
package dev.warmshelf.scenario;

import org.jspecify.annotations.NullMarked;
