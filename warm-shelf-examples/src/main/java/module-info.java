/** Programs to copy from. */
module dev.warmshelf.examples {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.config;
  requires dev.warmshelf.metrics;
  requires micrometer.registry.prometheus;
  requires transitive dev.warmshelf;
  requires com.zaxxer.hikari;
  requires java.naming;
  requires java.sql;
  requires org.apache.commons.csv;
  requires java.net.http;
  requires jdk.httpserver;
  requires org.postgresql.jdbc;

  exports dev.warmshelf.examples;
}
