package dev.warmshelf.measure.workload;

/**
 * What a version belongs to.
 *
 * @param kind what it is, in the workload's own word
 * @param id which one, as text
 */
public record VersionedThing(String kind, String id) {}
