/** The command {@code shelf}. */
module dev.warmshelf.cli {
  requires static transitive org.jspecify;
  requires dev.warmshelf.config;
  requires dev.warmshelf.examples;
  requires dev.warmshelf.measure;
  requires dev.warmshelf.scenario;
  requires com.fasterxml.jackson.databind;
  requires com.zaxxer.hikari;
  requires info.picocli;
  requires java.desktop;
  requires java.management;
  requires jdk.httpserver;
  requires jdk.attach;
  requires org.postgresql.jdbc;
  requires org.slf4j;

  opens dev.warmshelf.cli to
      info.picocli;
  opens dev.warmshelf.cli.command to
      info.picocli;
  opens dev.warmshelf.cli.demo to
      info.picocli;
}
