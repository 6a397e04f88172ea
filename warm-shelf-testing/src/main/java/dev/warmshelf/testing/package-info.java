/**
 * For the tests of a program: shelves in memory over a test's database, with a clock and a feed
 * that stand still until the test moves them, statements that are counted, and sentences on what
 * was kept.
 */
@NullMarked
package dev.warmshelf.testing;

import org.jspecify.annotations.NullMarked;
