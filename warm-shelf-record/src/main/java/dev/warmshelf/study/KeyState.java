package dev.warmshelf.study;

import dev.warmshelf.study.KeyAdvice.Example;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.List;

/** What is known of the questions of one key. For one thread. */
final class KeyState {
  private static final int MOST_SHOWN = 6;

  final long digest;
  final int statement;
  int questions;
  int hits;
  int fills;
  int neverRead;
  long lastMicros;
  int compared;
  int differed;
  int returned;
  private long last;
  private boolean readSinceFill;
  private long lastRead;
  private long lastReadBegan;
  private boolean wasRead;
  private final Answers met = new Answers();
  private final List<String> shown = new ArrayList<>();

  KeyState(long digest, int statement) {
    this.digest = digest;
    this.statement = statement;
  }

  /** Counts whether a shelf without bound would have answered. */
  void ask(Asked asked) {
    boolean hit =
        questions > 0 && (asked.known() ? asked.fingerprint() == last : asked.outcome().isHit());
    if (hit) {
      hits++;
      readSinceFill = true;
    } else {
      if (fills > 0 && !readSinceFill) {
        neverRead++;
      }
      fills++;
      readSinceFill = false;
    }
    questions++;
    last = asked.fingerprint();
    lastMicros = asked.atMicros();
  }

  /** How many fills nobody has read, if the recording ends now. */
  int neverReadAtEnd() {
    return fills > 0 && !readSinceFill ? neverRead + 1 : neverRead;
  }

  /** Compares with what the database had said before. */
  void read(Asked asked, Judged judged) {
    boolean again = met.meet(asked.fingerprint());
    if (wasRead) {
      long before = lastRead;
      judged.pair(statement, lastReadBegan, asked.atMicros(), () -> compare(before, asked, again));
    }
    wasRead = true;
    lastRead = asked.fingerprint();
    lastReadBegan = asked.beganMicros();
  }

  private void compare(long before, Asked asked, boolean again) {
    compared++;
    if (asked.fingerprint() != before) {
      differed++;
      returned += again ? 1 : 0;
      if (shown.isEmpty()) {
        show(before);
      }
      show(asked.fingerprint());
    }
  }

  private void show(long fingerprint) {
    if (shown.size() < MOST_SHOWN) {
      shown.add(HexFormat.of().toHexDigits(fingerprint));
    }
  }

  Example example() {
    return new Example(HexFormat.of().toHexDigits(digest), List.copyOf(shown));
  }
}
