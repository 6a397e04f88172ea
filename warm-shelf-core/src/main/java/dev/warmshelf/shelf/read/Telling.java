package dev.warmshelf.shelf.read;

import dev.warmshelf.key.Key;
import dev.warmshelf.lane.Change;
import dev.warmshelf.plan.Footprint;
import dev.warmshelf.shelf.Origin;
import java.util.List;
import java.util.Objects;
import java.util.function.Consumer;
import org.jspecify.annotations.Nullable;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;

/**
 * Who is told of the questions that somebody is asked. A recorder that fails is told no more: it
 * must not break a read. Thread-safe.
 */
public final class Telling implements Recorder {
  private static final Logger LOG = LoggerFactory.getLogger(Telling.class);

  private final String who;
  private volatile @Nullable Recorder recorder;

  /**
   * @param who is asked: a shelf's name, or empty for none
   */
  public Telling(String who) {
    this.who = Objects.requireNonNull(who, "who");
  }

  /**
   * Has every question told to this recorder from now on, in place of any before; null for none.
   */
  public void to(@Nullable Recorder told) {
    recorder = told;
  }

  /** Whether anybody is told. */
  public boolean isOn() {
    return recorder != null;
  }

  @Override
  public void asked(
      String shelf,
      Key key,
      @Nullable AskedQuestion words,
      Origin outcome,
      long loadNanos,
      @Nullable Object answer,
      @Nullable Footprint footprint) {
    tell(told -> told.asked(shelf, key, words, outcome, loadNanos, answer, footprint));
  }

  @Override
  public void changed(List<Change> changes) {
    tell(told -> told.changed(changes));
  }

  private void tell(Consumer<Recorder> what) {
    Recorder told = recorder;
    if (told == null) {
      return;
    }
    try {
      what.accept(told);
    } catch (RuntimeException e) {
      recorder = null;
      LOG.error("The recorder of {} failed; it is told no more.", who, e);
    }
  }
}
