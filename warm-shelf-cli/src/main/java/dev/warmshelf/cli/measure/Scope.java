package dev.warmshelf.cli.measure;

/**
 * What a version belongs to.
 *
 * @param kind what it is, in the workload's own word
 * @param id which one, as text
 */
record Scope(String kind, String id) {}
