package dev.warmshelf.measure.workload;

import java.io.Serializable;

/**
 * What a version belongs to.
 *
 * @param kind what it is, in the workload's own word
 * @param id which one, as text
 */
public record VersionedThing(String kind, String id) implements Serializable {}
