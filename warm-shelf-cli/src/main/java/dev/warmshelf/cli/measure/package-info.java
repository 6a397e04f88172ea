/** A comparison of ways to read, side by side on one database. */
@NullMarked
package dev.warmshelf.cli.measure;

import org.jspecify.annotations.NullMarked;
