/** What shelves and their feed count, for a Micrometer registry. */
@SuppressWarnings("requires-transitive-automatic") // the library has no module of its own yet
module dev.warmshelf.metrics {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf;
  requires transitive micrometer.core;

  exports dev.warmshelf.metrics;
}
