package dev.warmshelf.cli.measure;

/**
 * What a version belongs to.
 *
 * @param kind sailing, notice, or route
 * @param id which one
 */
record Scope(Kind kind, int id) {
  enum Kind {
    SAILING,
    NOTICE,
    /** Its version is the sum of its sailings' versions. */
    ROUTE
  }
}
