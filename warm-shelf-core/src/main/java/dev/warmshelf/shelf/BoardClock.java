package dev.warmshelf.shelf;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.fresh.TimeSource;

/** What a shelf and its readings depend on. */
record BoardClock(Board board, TimeSource time) {}
