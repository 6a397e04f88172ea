/** Keys, footprints, the board, shelves and meters: all of the computation, and no I/O. */
module dev.warmshelf.core {
  requires static transitive org.jspecify;
  requires org.slf4j;
  requires HdrHistogram;

  exports dev.warmshelf.http;
  exports dev.warmshelf.lane;
  exports dev.warmshelf.meter;
  exports dev.warmshelf.shelf;
  exports dev.warmshelf.spi.feed;
  exports dev.warmshelf.spi.store;
  exports dev.warmshelf.time;
  exports dev.warmshelf.base to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.config,
      dev.warmshelf.door,
      dev.warmshelf.engine,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.record;
  exports dev.warmshelf.delivery to
      dev.warmshelf,
      dev.warmshelf.cli,
      dev.warmshelf.door,
      dev.warmshelf.engine;
  exports dev.warmshelf.fresh to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.engine,
      dev.warmshelf.record;
  exports dev.warmshelf.key to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.door,
      dev.warmshelf.engine,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.record,
      dev.warmshelf.testing;
  exports dev.warmshelf.plan to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.door,
      dev.warmshelf.engine,
      dev.warmshelf.measure,
      dev.warmshelf.postgres,
      dev.warmshelf.record,
      dev.warmshelf.testing;
  exports dev.warmshelf.shelf.read to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.door,
      dev.warmshelf.engine,
      dev.warmshelf.measure,
      dev.warmshelf.record,
      dev.warmshelf.testing;
  exports dev.warmshelf.store to
      dev.warmshelf,
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.engine,
      dev.warmshelf.record;
  exports dev.warmshelf.trial to
      dev.warmshelf.bench,
      dev.warmshelf.measure,
      dev.warmshelf.record,
      dev.warmshelf.scenario,
      dev.warmshelf.testing;
}
