/** Readings in the terms of HTTP. */
@NullMarked
package dev.warmshelf.http;

import org.jspecify.annotations.NullMarked;
