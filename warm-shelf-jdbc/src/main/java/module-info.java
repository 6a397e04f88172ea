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
  exports dev.warmshelf.journal;
  exports dev.warmshelf.postgres;
  exports dev.warmshelf.session;
  exports dev.warmshelf.jmx;
}
