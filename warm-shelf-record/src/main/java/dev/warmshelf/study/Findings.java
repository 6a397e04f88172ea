package dev.warmshelf.study;

import dev.warmshelf.record.RecordingFile;
import java.util.List;

/**
 * What a recording says.
 *
 * @param summary what the recording is
 * @param lookedAt which part of its keys was looked at; 1 for all of them
 * @param repeats the statements, those first of which a shelf without bound would save most time
 * @param advice on keys; none where nothing was found
 * @param changes what answers would give that are kept until something changes; of tables only
 *     where the recording tells of changes
 * @param lives what answers would give that are kept for a time, whatever changes
 * @param memory what answers would give that are put out as they change, by room and what leaves
 *     first
 */
public record Findings(
    RecordingFile.Summary summary,
    double lookedAt,
    List<Repeats> repeats,
    List<KeyAdvice> advice,
    List<ChangeForecast> changes,
    List<LifeForecast> lives,
    List<MemoryForecast> memory) {}
