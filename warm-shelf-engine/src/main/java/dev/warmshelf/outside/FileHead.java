package dev.warmshelf.outside;

import dev.warmshelf.spi.feed.FeedPlace;
import java.time.Instant;
import java.util.Objects;

/**
 * What stands before the answers of a file.
 *
 * @param program the versions of what has written it: only the same reads it
 * @param written when it was written, by the writer's clock
 * @param place the feed's: all changes in it are in the answers
 */
public record FileHead(String program, Instant written, FeedPlace place) {
  /** Nothing is null. */
  public FileHead {
    Objects.requireNonNull(program, "program");
    Objects.requireNonNull(written, "written");
    Objects.requireNonNull(place, "place");
  }
}
