/** Queries over a DataSource, and the change feeds. */
module dev.warmshelf.jdbc {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.core;
  requires transitive dev.warmshelf.sql;
  requires transitive java.management;
  requires transitive java.sql;
  requires org.slf4j;
  requires static org.postgresql.jdbc;

  exports dev.warmshelf;
  exports dev.warmshelf.database to
      dev.warmshelf.cli;
  exports dev.warmshelf.journal;
  exports dev.warmshelf.repository;
  exports dev.warmshelf.shared;
  exports dev.warmshelf.driver to
      dev.warmshelf.config;
  exports dev.warmshelf.file to
      dev.warmshelf.cli,
      dev.warmshelf.config;
  exports dev.warmshelf.jmx to
      dev.warmshelf.cli;
  exports dev.warmshelf.postgres to
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.measure;
  exports dev.warmshelf.row to
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.measure;
}
