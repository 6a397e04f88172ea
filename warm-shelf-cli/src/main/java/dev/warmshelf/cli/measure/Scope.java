package dev.warmshelf.cli.measure;

/**
 * What a version belongs to.
 *
 * @param kind what it is
 * @param id which one
 */
record Scope(Kind kind, int id) {
  enum Kind {
    /** A sailing's times and status; its version counts their changes. */
    SAILING,
    /** A sailing's bookings; their version is the newest revision of one. */
    BOOKED,
    NOTICE,
    /** The times and status of a route's sailings; their version is the sum of theirs. */
    ROUTE,
    /** The bookings of a route's sailings. */
    ROUTE_BOOKED
  }
}
