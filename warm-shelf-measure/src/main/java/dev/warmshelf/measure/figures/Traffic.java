package dev.warmshelf.measure.figures;

/**
 * How hard a run presses.
 *
 * @param readers threads that read
 * @param readsPerSecond of all readers together, each due at its own moment; 0 for as fast as they
 *     can
 * @param writesPerSecond commits a second while others read; 0 for none
 */
public record Traffic(int readers, double readsPerSecond, double writesPerSecond) {}
