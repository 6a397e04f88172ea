/** SQL text to normal form, and the server's tree to facts and verdict. Knows no connection. */
module dev.warmshelf.sql {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf.core;

  exports dev.warmshelf.sql;
  exports dev.warmshelf.sql.text;
  exports dev.warmshelf.sql.tree;
}
