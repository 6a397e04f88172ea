/** What is known of the driver: its connections, result sets, errors. */
@NullMarked
package dev.warmshelf.postgres.driver;

import org.jspecify.annotations.NullMarked;
