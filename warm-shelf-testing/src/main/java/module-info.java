/** For the tests of a program that keeps answers. */
module dev.warmshelf.testing {
  requires static transitive org.jspecify;
  requires transitive dev.warmshelf;
  requires static transitive org.junit.jupiter.api;

  exports dev.warmshelf.testing;
}
