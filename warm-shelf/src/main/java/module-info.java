/** What a program names: queries, computations, and a wrapped data source. */
module dev.warmshelf {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.postgres;
  requires dev.warmshelf.door;
  requires transitive java.management;
  requires transitive java.sql;
  requires org.slf4j;

  exports dev.warmshelf;
  exports dev.warmshelf.repository;
  exports dev.warmshelf.jmx to
      dev.warmshelf.cli;
}
