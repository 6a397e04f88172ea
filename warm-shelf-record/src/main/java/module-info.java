/** Writes the questions that shelves were asked to a file, reads them back, and studies them. */
module dev.warmshelf.record {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.core;
  requires com.fasterxml.jackson.core;
  requires com.fasterxml.jackson.databind;
  requires HdrHistogram;
  requires org.slf4j;

  exports dev.warmshelf.record;
  exports dev.warmshelf.study to
      dev.warmshelf.bench,
      dev.warmshelf.cli,
      dev.warmshelf.measure;
}
