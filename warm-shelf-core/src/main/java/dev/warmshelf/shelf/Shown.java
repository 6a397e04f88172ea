package dev.warmshelf.shelf;

/**
 * What is shown of a shelf's entries to whoever may look at the program from outside. Each shows
 * what those before it do, too.
 */
public enum Shown {
  /** Digests, sizes and times. */
  DIGESTS,
  /** Also the values that questions were asked with. */
  VALUES,
  /** Also the rows of answers. */
  ROWS
}
