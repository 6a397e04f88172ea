/** Whether answers to a statement may be kept, and what they depend on. */
@NullMarked
package dev.warmshelf.verdict;

import org.jspecify.annotations.NullMarked;
