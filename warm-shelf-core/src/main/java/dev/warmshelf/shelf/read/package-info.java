/** One read from question to answer: what is held, loads, second looks, mending, audits. */
@NullMarked
package dev.warmshelf.shelf.read;

import org.jspecify.annotations.NullMarked;
