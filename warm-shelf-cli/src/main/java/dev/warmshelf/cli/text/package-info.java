/** Numbers and tables as text. */
@NullMarked
package dev.warmshelf.cli.text;

import org.jspecify.annotations.NullMarked;
