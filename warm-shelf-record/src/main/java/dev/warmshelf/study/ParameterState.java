package dev.warmshelf.study;

import dev.warmshelf.study.KeyAdvice.Splits;
import dev.warmshelf.trial.Wilson;
import java.util.Optional;

/**
 * Whether a parameter decides the answer: questions that are alike but for it are compared, each
 * with the one before it. For one thread.
 */
final class ParameterState {
  private static final int MOST_GROUPS = 1_024;

  /** Fewer comparisons say nothing. */
  private static final int FEWEST = 50;

  /** Where changes are told, so many differences among comparisons may be an accident. */
  private static final double ACCIDENTS = 0.001;

  /** Where they are not told, so many may be changes. */
  private static final double UNTOLD_CHANGES = 0.05;

  private final String name;
  private final Sample<Group> groups = new Sample<>(MOST_GROUPS);

  /** Questions that are alike but for the parameter. */
  private static final class Group {
    private final long digest;
    private long value;
    private long fingerprint;
    private long began;
    private int rows;
    private int questions;
    private int hits;
    private int compared;
    private int differed;
    private int returned;
    private final Answers met = new Answers();

    Group(long digest) {
      this.digest = digest;
    }
  }

  ParameterState(String name) {
    this.name = name;
  }

  /**
   * @param others digest of all else that was asked
   * @param value digest of the parameter's value
   */
  void ask(Asked asked, long others, long value, Judged judged) {
    Group group = groups.of(others, Group::new);
    if (group == null) {
      return;
    }
    boolean same = asked.fingerprint() == group.fingerprint;
    if (group.questions > 0) {
      group.hits += same ? 1 : 0;
      if (value != group.value && (asked.rows() > 0 || group.rows > 0)) {
        boolean returned = !same && group.met.meet(asked.fingerprint());
        judged.pair(
            asked.statement(),
            group.began,
            asked.atMicros(),
            () -> {
              group.compared++;
              group.differed += same ? 0 : 1;
              group.returned += returned ? 1 : 0;
            });
      }
    }
    group.met.meet(asked.fingerprint());
    group.questions++;
    group.value = value;
    group.fingerprint = asked.fingerprint();
    group.rows = asked.rows();
    group.began = asked.beganMicros();
  }

  /**
   * What to say of it, if it splits keys for nothing.
   *
   * @param hits what would hit with it
   * @param told whether changes are in the recording
   */
  Optional<Splits> advice(StatementText statement, Share hits, boolean told) {
    long compared = 0;
    long differed = 0;
    long returned = 0;
    Share.Sums without = new Share.Sums();
    for (Group group : groups.all()) {
      compared += group.compared;
      differed += group.differed;
      returned += group.returned;
      without.add(group.digest, group.hits, group.questions);
    }
    double bound = told ? ACCIDENTS : UNTOLD_CHANGES;
    Share wouldHit = without.share(groups.rate());
    if (compared < FEWEST
        || Wilson.of(differed, compared).ratio() > bound
        || (!told && returned > 0)
        || wouldHit.ratio() <= hits.ratio()) {
      return Optional.empty();
    }
    return Optional.of(new Splits(statement, name, compared, differed, hits, wouldHit));
  }
}
