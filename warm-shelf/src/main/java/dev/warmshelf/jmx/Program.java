package dev.warmshelf.jmx;

import dev.warmshelf.fresh.Board;
import dev.warmshelf.shelf.Shelf;
import dev.warmshelf.spi.feed.Feed;
import dev.warmshelf.time.TimeSource;
import java.util.Collection;
import org.jspecify.annotations.Nullable;

/**
 * What a part of a program shows over JMX.
 *
 * @param namespace goes before the shelves' names; may be empty
 * @param feed null if none is followed
 * @param desk what it shows as a whole
 */
public record Program(
    String namespace,
    Collection<Shelf> shelves,
    @Nullable Feed feed,
    Board board,
    TimeSource time,
    Desk desk) {}
