/** The commands, and their options. */
@NullMarked
package dev.warmshelf.cli.command;

import org.jspecify.annotations.NullMarked;
