package dev.warmshelf.measure.survey;

import dev.warmshelf.lane.Lane;
import dev.warmshelf.measure.database.DatabaseWork.Done;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.SortedMap;

/**
 * What a survey has found.
 *
 * @param began by the database's clock
 * @param lasted how long it was watched
 * @param all what the server did for all statements of this database
 * @param own of that, for the library's journal, feed and checks
 * @param statements that read, those first that keeping would likely save most time of
 * @param tracked for each table that those worth keeping read, by which columns its changes would
 *     be told apart, best first
 * @param limits what could not be seen, in sentences
 */
public record Surveyed(
    Instant began,
    Duration lasted,
    Done all,
    Done own,
    List<SurveyedStatement> statements,
    SortedMap<Lane, List<String>> tracked,
    List<String> limits) {}
