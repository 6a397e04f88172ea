/** The made-up ferry company of demo, tests and benchmarks, and a PostgreSQL to hold it. */
module dev.warmshelf.scenario {
  requires static transitive org.jspecify;
  requires dev.warmshelf.core;
  requires transitive java.sql;
  requires java.naming;
  requires org.slf4j;
  requires transitive org.postgresql.jdbc;
  requires embedded.postgres;

  exports dev.warmshelf.scenario;
}
