/** What the commands print on, read from and fail with. */
@NullMarked
package dev.warmshelf.cli.screen;

import org.jspecify.annotations.NullMarked;
