/** Benchmarks, races, long runs and hunts. */
module dev.warmshelf.bench {
  requires static transitive org.jspecify;
  requires dev.warmshelf;
  requires dev.warmshelf.measure;
  requires dev.warmshelf.metrics;
  requires dev.warmshelf.record;
  requires dev.warmshelf.scenario;
  requires com.zaxxer.hikari;
  requires java.management;
  requires java.management.rmi;
  requires java.naming;
  requires jcstress.core;
  requires jmh.core;
  requires micrometer.registry.prometheus;
  requires org.postgresql.jdbc;
}
