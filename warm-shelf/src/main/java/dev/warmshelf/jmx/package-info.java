/** What a running program shows of itself over JMX. */
@NullMarked
package dev.warmshelf.jmx;

import org.jspecify.annotations.NullMarked;
