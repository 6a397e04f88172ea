/** The demo: its story, and the processes in it. */
@NullMarked
package dev.warmshelf.cli.demo;

import org.jspecify.annotations.NullMarked;
