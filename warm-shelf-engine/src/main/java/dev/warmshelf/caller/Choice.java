package dev.warmshelf.caller;

/** How a question is answered: as others' are, or around the shelf ({@link Bypass}). */
public interface Choice {}
