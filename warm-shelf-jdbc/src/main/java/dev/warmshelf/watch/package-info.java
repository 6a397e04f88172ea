/** What a running program shows of itself over JMX. */
@NullMarked
package dev.warmshelf.watch;

import org.jspecify.annotations.NullMarked;
