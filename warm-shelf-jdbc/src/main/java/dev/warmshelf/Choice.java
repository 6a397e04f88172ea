package dev.warmshelf;

/** How a question is answered: as others' are, or around the shelf ({@link Bypass}). */
interface Choice {}
