/** Compares direct reads with kept ones, while others write. Knows no command line. */
module dev.warmshelf.measure {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.jdbc;
  requires dev.warmshelf.config;
  requires transitive dev.warmshelf.record;
  requires com.fasterxml.jackson.databind;
  requires java.desktop;
  requires transitive HdrHistogram;
  requires org.jfree.jfreechart;
  requires org.apache.commons.csv;
  requires org.apache.xmlgraphics.batik.svggen;

  exports dev.warmshelf.measure.database;
  exports dev.warmshelf.measure.figures;
  exports dev.warmshelf.measure.report;
  exports dev.warmshelf.measure.run;
  exports dev.warmshelf.measure.survey;
  exports dev.warmshelf.measure.text;
  exports dev.warmshelf.measure.workload;
}
