package dev.warmshelf.study;

import java.time.Duration;

/**
 * What answers kept for a time, whatever changes, would give.
 *
 * @param life after the load
 * @param hits of all questions
 * @param stale of all questions, those that would get an answer that was not true any more
 * @param saved of all time that the database took, were nothing kept
 */
public record LifeForecast(Duration life, Share hits, Share stale, Share saved) {}
