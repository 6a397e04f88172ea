package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;

/** What a shelf and its readings stand on. */
record Ground(Board board, TimeSource time) {}
