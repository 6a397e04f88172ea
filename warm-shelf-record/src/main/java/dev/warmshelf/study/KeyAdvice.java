package dev.warmshelf.study;

import java.util.List;
import java.util.Locale;

/** What is wrong with a statement's keys, with the counts that say so. */
public sealed interface KeyAdvice {
  /** Of which statement. */
  StatementText statement();

  /** With counts, in words. */
  String evidence();

  /** In words. */
  String remedy();

  /**
   * A parameter that splits keys for nothing: whatever its value, the answer is the same.
   *
   * @param parameter its name
   * @param compared pairs of answers for other values of it, all else alike, with no change between
   *     them
   * @param differed of these; none of them took back a change
   * @param wouldHit the share that would hit without it, beside {@code hits}
   */
  record Splits(
      StatementText statement,
      String parameter,
      long compared,
      long differed,
      Share hits,
      Share wouldHit)
      implements KeyAdvice {
    @Override
    public String evidence() {
      return String.format(
          Locale.ROOT,
          "%,d times the next who asked had another '%s' and all else alike, and %s got the same"
              + " answer",
          compared,
          parameter,
          differed == 0 ? "each" : String.format(Locale.ROOT, "%,d of them", compared - differed));
    }

    @Override
    public String remedy() {
      return String.format(
          Locale.ROOT,
          "if it cannot decide the answer, %s; %.0f %% would hit in place of %.0f %%",
          statement.query()
              ? "take it out of the statement, or give all of them one value:"
                  + " Recipe.plain().folding(\""
                  + parameter
                  + "\", any -> one)"
              : "leave it out of the key: Recipe.plain().leavingOut(\"" + parameter + "\")",
          100 * wouldHit.ratio(),
          100 * hits.ratio());
    }
  }

  /**
   * An input that is missing: one key, several answers.
   *
   * @param compared pairs of answers of one key, each with no change of a table between them
   * @param differed of these
   * @param returned of these, how many gave again what had been given earlier
   * @param keys how many keys these are
   * @param examples some of them
   */
  record Mixes(
      StatementText statement,
      long compared,
      long differed,
      long returned,
      long keys,
      List<Example> examples)
      implements KeyAdvice {
    @Override
    public String evidence() {
      return String.format(
          Locale.ROOT,
          "%,d of %,d times the same question got another answer, though no table had changed that it"
              + " is known to read; %,d times one that it had got before (%,d keys)",
          differed,
          compared,
          returned,
          keys);
    }

    @Override
    public String remedy() {
      return returned > 0
          ? "something decides the answer that is not in the key, such as a setting, a role or a"
              + " tenant: add it, Recipe.plain().adding(...), or name sessions by it,"
              + " sessionsNamed(...)"
          : "something changes that is not in the footprint, such as a table that a function reads:"
              + " declare it, reading(...), or keep it by a TTL";
    }
  }

  /**
   * A key that was seen to give several answers.
   *
   * @param key the beginning of its digest
   * @param answers fingerprints, in the order in which they were met
   */
  record Example(String key, List<String> answers) {}
}
