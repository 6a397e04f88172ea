/**
 * What a recording says about keeping answers: what repeats, which keys are wrong, and what other
 * memory or lives would give. Computation alone, in one pass.
 */
@NullMarked
package dev.warmshelf.study;

import org.jspecify.annotations.NullMarked;
