package dev.warmshelf.door;

/** What is known of a statement's text before it is executed. */
public interface StatementFacts {
  /** How many question marks it has; -1 if that is not certain, and then nothing of it is kept. */
  int parameters();

  /** Whether its answers may be kept, as far as the rules go. */
  boolean mayBeKept();
}
