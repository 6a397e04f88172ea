/** What runs elsewhere, looked at over JMX, and its page. */
@NullMarked
package dev.warmshelf.cli.program;

import org.jspecify.annotations.NullMarked;
