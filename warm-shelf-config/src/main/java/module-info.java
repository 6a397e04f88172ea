import dev.warmshelf.config.ShelvedDriver;

/** Shelves under an unchanged program, by a configuration file. */
module dev.warmshelf.config {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf;
  requires dev.warmshelf.door;
  requires static dev.warmshelf.record;
  requires org.slf4j;
  requires org.snakeyaml.engine.v2;

  exports dev.warmshelf.config;
  exports dev.warmshelf.yaml to
      dev.warmshelf.cli,
      dev.warmshelf.measure;

  provides java.sql.Driver with
      ShelvedDriver;
}
