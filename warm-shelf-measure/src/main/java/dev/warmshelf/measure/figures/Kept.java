package dev.warmshelf.measure.figures;

import dev.warmshelf.meter.Meters;
import java.util.Optional;
import org.HdrHistogram.Histogram;

/**
 * What a way that keeps answers says of itself.
 *
 * @param meters the shelf's own counts; empty where nothing is kept
 * @param lags how long after each commit had returned the way's feed had told of it, in
 *     nanoseconds; nothing where no feed is followed
 */
public record Kept(Optional<Meters.Snapshot> meters, Histogram lags) {}
