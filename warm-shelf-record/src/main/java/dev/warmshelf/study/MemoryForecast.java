package dev.warmshelf.study;

import dev.warmshelf.shelf.Leaving;

/**
 * What so much memory would give, with answers that are put out as they change.
 *
 * @param leaving what leaves first
 * @param bytes of room
 * @param hits of all questions
 * @param saved of all time that the database took, were nothing kept
 */
public record MemoryForecast(Leaving leaving, long bytes, Share hits, Share saved) {}
