/** PostgreSQL and its driver: analysis, sessions, the journal, the store. */
module dev.warmshelf.postgres {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.engine;
  requires org.slf4j;
  requires static org.postgresql.jdbc;

  exports dev.warmshelf.journal;
  exports dev.warmshelf.shared;
  exports dev.warmshelf.postgres to
      dev.warmshelf,
      dev.warmshelf.cli;
  exports dev.warmshelf.postgres.analysis to
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.measure;
  exports dev.warmshelf.postgres.driver to
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure;
}
