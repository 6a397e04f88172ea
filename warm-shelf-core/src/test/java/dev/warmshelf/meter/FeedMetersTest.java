package dev.warmshelf.meter;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import dev.warmshelf.meter.FeedMeters.State;
import org.junit.jupiter.api.Test;

class FeedMetersTest {
  private final FeedMeters meters = new FeedMeters();

  @Test
  void anotherReasonIsWorthAWordAndTheSameWithOtherNumbersIsNot() {
    assertTrue(meters.become(State.LIVE, null));
    assertFalse(meters.become(State.LIVE, null));
    assertTrue(meters.become(State.LOST, "no connection after 3000 ms"));
    assertFalse(meters.become(State.LOST, "no connection after 3001 ms"));
    assertTrue(meters.become(State.LOST, "permission denied for schema warm_shelf"));
    assertEquals(
        "permission denied for schema warm_shelf", meters.snapshot().trouble().orElseThrow());
    assertTrue(meters.become(State.LIVE, null));
    assertEquals(1, meters.snapshot().losses());
  }
}
