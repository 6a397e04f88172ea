/** Interfaces of a program's own, wrapped so that the results of their methods are kept. */
@NullMarked
package dev.warmshelf.repository;

import org.jspecify.annotations.NullMarked;
