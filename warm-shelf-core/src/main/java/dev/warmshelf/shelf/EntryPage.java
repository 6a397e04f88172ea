package dev.warmshelf.shelf;

import java.util.List;

/**
 * Some of a shelf's entries, and how many there are.
 *
 * @param entries how many there are of those that were asked for
 * @param bytes about how many bytes all of these take in memory
 * @param shown the first of them
 */
public record EntryPage(long entries, long bytes, List<EntryView> shown) {}
