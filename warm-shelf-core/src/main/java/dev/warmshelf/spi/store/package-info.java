/** What stores of answers that processes share must do. */
@NullMarked
package dev.warmshelf.spi.store;

import org.jspecify.annotations.NullMarked;
