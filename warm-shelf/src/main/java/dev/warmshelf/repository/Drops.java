package dev.warmshelf.repository;

import java.lang.annotation.Documented;
import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/**
 * Once what this method has written is committed, results of other methods of the interface are
 * invalidated. Where the feed tells of what it writes, that needs no word; this is for what it does
 * not tell of, and for shelves on a TTL alone.
 *
 * <p>If all inputs of the other method are found by their names among this one's parameters, their
 * record components and those of its result, only that result is dropped; else all of them.
 */
@Documented
@Target(ElementType.METHOD)
@Retention(RetentionPolicy.RUNTIME)
public @interface Drops {
  /** The other methods' names. */
  String[] value();

  /**
   * Whether the result is worked out anew at once, so that the next caller finds it; by default
   * not. It is not if this method was part of a larger transaction, nor if its inputs are not all
   * found.
   */
  boolean andFills() default false;
}
