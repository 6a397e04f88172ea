/** The command-line tool: what it is told, what it prints, and how it ends. */
@NullMarked
package dev.warmshelf.cli;

import org.jspecify.annotations.NullMarked;
