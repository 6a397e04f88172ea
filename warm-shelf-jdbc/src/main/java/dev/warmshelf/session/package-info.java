/** What goes on on one JDBC connection, as far as it matters to kept answers. */
@NullMarked
package dev.warmshelf.session;

import org.jspecify.annotations.NullMarked;
