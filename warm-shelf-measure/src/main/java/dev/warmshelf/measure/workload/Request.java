package dev.warmshelf.measure.workload;

import java.util.Map;

/**
 * One question with its inputs.
 *
 * @param query which question
 * @param inputs their values by name, in the order in which they were drawn; those that the query
 *     leaves out among them
 */
public record Request(Workload.Statement query, Map<String, Object> inputs) {}
