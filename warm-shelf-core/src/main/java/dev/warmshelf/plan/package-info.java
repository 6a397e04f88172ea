/**
 * What is known of a statement before it is asked: its lanes, and how changes reach its answers.
 */
@NullMarked
package dev.warmshelf.plan;

import org.jspecify.annotations.NullMarked;
