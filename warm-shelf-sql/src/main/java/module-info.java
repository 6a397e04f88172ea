/** SQL text to normal form, facts and verdict. Knows no connection. */
module dev.warmshelf.sql {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.core;
  requires net.sf.jsqlparser;

  exports dev.warmshelf.sql;
}
