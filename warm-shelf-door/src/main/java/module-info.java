/** JDBC objects whose statements are answered from shelves. */
module dev.warmshelf.door {
  requires static transitive org.jspecify;
  requires dev.warmshelf.postgres;
  requires transitive dev.warmshelf.engine;
  requires org.slf4j;

  exports dev.warmshelf.door to
      dev.warmshelf,
      dev.warmshelf.config;
}
