package dev.warmshelf.study;

import dev.warmshelf.study.Share.Sums;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

/** What answers that are kept for a time would give, for several times. For one thread. */
final class Lives {
  private final List<Duration> lives;
  private final Map<Long, Filled[]> filled = new HashMap<>();
  private final List<Sums> hits = new ArrayList<>();
  private final List<Sums> stale = new ArrayList<>();
  private final List<Sums> saved = new ArrayList<>();

  private record Filled(long atMicros, long fingerprint) {}

  Lives(List<Duration> lives) {
    this.lives = lives;
    for (int i = 0; i < lives.size(); i++) {
      hits.add(new Sums());
      stale.add(new Sums());
      saved.add(new Sums());
    }
  }

  void forgetAllBut(Sample<?> sample) {
    filled.keySet().removeIf(each -> !sample.isIn(each));
  }

  void ask(Asked asked, double rate) {
    Filled[] last = filled.computeIfAbsent(asked.key(), key -> new Filled[lives.size()]);
    for (int i = 0; i < last.length; i++) {
      Filled kept = last[i];
      long life = lives.get(i).toNanos() / 1_000;
      boolean hit = kept != null && asked.atMicros() - kept.atMicros() < life;
      boolean old = hit && kept.fingerprint() != asked.fingerprint();
      hits.get(i).add(asked.key(), hit ? 1 / rate : 0, 1 / rate);
      stale.get(i).add(asked.key(), old ? 0 : 1 / rate, 1 / rate);
      saved.get(i).add(asked.key(), hit ? asked.loadMicros() / rate : 0, asked.loadMicros() / rate);
      if (!hit) {
        last[i] = new Filled(asked.atMicros(), asked.fingerprint());
      }
    }
  }

  List<LifeForecast> forecasts(double rate, double questions, double micros) {
    List<LifeForecast> all = new ArrayList<>();
    for (int i = 0; i < lives.size(); i++) {
      Share fresh = stale.get(i).share(rate, questions);
      all.add(
          new LifeForecast(
              lives.get(i),
              hits.get(i).share(rate, questions),
              new Share(1 - fresh.ratio(), fresh.error()),
              saved.get(i).share(rate, micros)));
    }
    return all;
  }
}
