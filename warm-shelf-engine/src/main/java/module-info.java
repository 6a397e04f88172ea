/** Statements, callers, and questions up to their answers; knows no server. */
module dev.warmshelf.engine {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.core;
  requires transitive java.sql;
  requires org.slf4j;

  exports dev.warmshelf.answer to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.caller to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.database to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.engine to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.outside to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.statement to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.statement.text to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
  exports dev.warmshelf.verdict to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.testing;
}
