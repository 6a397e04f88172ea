/** From a statement's text to its tokens and its normal form. */
@NullMarked
package dev.warmshelf.statement.text;

import org.jspecify.annotations.NullMarked;
