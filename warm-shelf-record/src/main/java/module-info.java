/** Writes the questions that shelves were asked to a file, and reads them back. */
module dev.warmshelf.record {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.core;
  requires com.fasterxml.jackson.core;
  requires com.fasterxml.jackson.databind;
  requires org.slf4j;

  exports dev.warmshelf.record;
}
