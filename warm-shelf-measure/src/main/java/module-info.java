/** Compares direct reads with kept ones, while others write. Knows no command line. */
module dev.warmshelf.measure {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf;
  requires dev.warmshelf.config;
  requires transitive dev.warmshelf.record;
  requires com.fasterxml.jackson.databind;
  requires java.desktop;
  requires transitive HdrHistogram;
  requires org.jfree.jfreechart;
  requires org.apache.commons.csv;
  requires org.apache.xmlgraphics.batik.svggen;

  exports dev.warmshelf.measure.database to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
  exports dev.warmshelf.measure.figures to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
  exports dev.warmshelf.measure.report to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
  exports dev.warmshelf.measure.run to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
  exports dev.warmshelf.measure.survey to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
  exports dev.warmshelf.measure.text to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
  exports dev.warmshelf.measure.workload to
      dev.warmshelf.bench,
      dev.warmshelf.cli;
}
