package dev.warmshelf.repository;

import dev.warmshelf.WarmShelf;
import java.lang.annotation.Documented;
import java.lang.annotation.ElementType;
import java.lang.annotation.Retention;
import java.lang.annotation.RetentionPolicy;
import java.lang.annotation.Target;

/**
 * The results of this method are kept, by its parameters, until something changes that it has read.
 */
@Documented
@Target(ElementType.METHOD)
@Retention(RetentionPolicy.RUNTIME)
public @interface Kept {
  /** The shelf; by default the main one. */
  String on() default WarmShelf.MAIN_SHELF;

  /** Parameters that make no difference to the result, by their names; by default none. */
  String[] leavingOut() default {};
}
