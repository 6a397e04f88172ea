package dev.warmshelf.testing;

import dev.warmshelf.shelf.EntryDetail;
import dev.warmshelf.shelf.Origin;
import dev.warmshelf.shelf.Shelf;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import org.jspecify.annotations.Nullable;

/**
 * The answers to some of the questions that were asked since the kit was opened, or {@link
 * ShelfKit#forget} was called; what of them {@link #areKept} is looked at anew with each sentence.
 *
 * <p>Each sentence returns this, so that another can follow, and throws an {@link AssertionError}
 * that lists what was asked if it is not true. Which answers are meant is narrowed by {@link #with}
 * and its like, which return a copy: with all values of a question that is one answer, with some of
 * them all that have these.
 *
 * <p>Immutable.
 */
public final class Answers {
  private static final int MOST_SHOWN = 30;

  private final ShelfKit kit;
  private final String which;
  private final Predicate<Asked> fits;

  Answers(ShelfKit kit, String which, Predicate<Asked> fits) {
    this.kit = kit;
    this.which = which;
    this.fits = fits;
  }

  /** Those for which this parameter had this value; numbers are compared as numbers. */
  public Answers with(String parameter, @Nullable Object value) {
    return new Answers(
        kit,
        which + ", " + parameter + "=" + value,
        fits.and(asked -> asked.has(parameter, value)));
  }

  /** Those that were asked with this value, as whatever parameter or input. */
  public Answers having(@Nullable Object value) {
    return new Answers(kit, which + ", having " + value, fits.and(asked -> asked.has(value)));
  }

  /** Those on this shelf. */
  public Answers onShelf(String name) {
    return new Answers(
        kit, which + ", on shelf " + name, fits.and(asked -> asked.shelf().equals(name)));
  }

  /** So many times somebody asked. */
  public Answers wereAsked(int times) {
    return counted("asked for", times, origin -> true);
  }

  /** So many times the shelf answered. */
  public Answers wereHit(int times) {
    return counted("hit", times, Origin::isHit);
  }

  /** So many times the database was asked for all of one of them. */
  public Answers wereLoaded(int times) {
    return counted("loaded", times, origin -> origin == Origin.LOADED);
  }

  /** So many times the database answered past the shelf, and nothing was kept. */
  public Answers wereReadDirectly(int times) {
    return counted("read directly", times, origin -> origin == Origin.DIRECT);
  }

  /** So many times one of them came from there. */
  public Answers wereGiven(Origin from, int times) {
    return counted("given as " + from, times, origin -> origin == from);
  }

  private Answers counted(String how, int times, Predicate<Origin> counts) {
    List<Asked> all = asked();
    long found = all.stream().filter(each -> counts.test(each.origin())).count();
    if (found != times) {
      throw wrong(Words.be(how, times), Words.were(how, (int) found));
    }
    return this;
  }

  /** At least one was asked for, and a shelf would serve all of them now. */
  public Answers areKept() {
    List<Standing> all = standing();
    List<Standing> not = all.stream().filter(each -> !each.isKept()).toList();
    if (all.isEmpty() || !not.isEmpty()) {
      throw wrong("be kept", all.isEmpty() ? "nobody asked for any" : "are not: " + inWords(not));
    }
    return this;
  }

  /** A shelf would serve so many of them now. */
  public Answers areKept(int count) {
    List<Standing> all = standing();
    long kept = all.stream().filter(Standing::isKept).count();
    if (kept != count) {
      throw wrong("be kept, " + count + " of them", kept + " are: " + inWords(all));
    }
    return this;
  }

  /** No shelf would serve any of them now. */
  public Answers areNotKept() {
    return areKept(0);
  }

  /**
   * At least one had been kept, and all that had been are out of date now, or gone. A read may
   * still find that what has changed makes no difference to one of them, and serve it ({@link
   * Origin#REVIVED}).
   */
  public Answers wereInvalidated() {
    List<Standing> all = standing().stream().filter(Standing::wasKept).toList();
    if (all.isEmpty() || all.stream().anyMatch(Standing::isKept)) {
      throw wrong("be invalidated", all.isEmpty() ? "none had been kept" : "are: " + inWords(all));
    }
    return this;
  }

  /** So many had been kept, and are out of date now, or gone. */
  public Answers wereInvalidated(int count) {
    List<Standing> all = standing().stream().filter(Standing::wasKept).toList();
    long out = all.stream().filter(each -> !each.isKept()).count();
    if (out != count) {
      throw wrong("be invalidated, " + count + " of them", out + " are: " + inWords(all));
    }
    return this;
  }

  private List<Asked> asked() {
    return kit.asked().stream().filter(fits).toList();
  }

  /** How an answer stands now: why it would not be served; null if it would be. */
  private record Standing(Asked asked, boolean wasKept, @Nullable String whyNot) {
    boolean isKept() {
      return whyNot == null;
    }
  }

  private List<Standing> standing() {
    Map<String, Asked> each = new LinkedHashMap<>();
    Map<String, Boolean> kept = new LinkedHashMap<>();
    for (Asked asked : asked()) {
      String name = asked.shelf() + " " + asked.key().digest();
      each.put(name, asked);
      kept.merge(name, asked.kept(), Boolean::logicalOr);
    }
    List<Standing> all = new ArrayList<>();
    each.forEach(
        (name, asked) ->
            all.add(
                new Standing(asked, Objects.requireNonNull(kept.get(name)), whyNotKept(asked))));
    return all;
  }

  private @Nullable String whyNotKept(Asked asked) {
    if (asked.shelf().isEmpty()) {
      return "on no shelf";
    }
    Shelf shelf = kit.warm().shelf(asked.shelf());
    Optional<EntryDetail> entry = shelf.entry(asked.key().digest());
    if (entry.isEmpty()) {
      return "not there";
    } else if (shelf.isFeedLost()) {
      return "the feed is lost";
    }
    String whyNot = entry.get().entry().standing().whyNot();
    return whyNot.isEmpty() ? null : whyNot;
  }

  private static String inWords(List<Standing> all) {
    return all.stream()
        .map(
            each ->
                "\n    "
                    + each.asked().inWords()
                    + (each.isKept() ? ": kept" : ": " + each.whyNot()))
        .collect(Collectors.joining());
  }

  private AssertionError wrong(String expected, String found) {
    List<Asked> mine = asked();
    List<Asked> all = mine.isEmpty() ? kit.asked() : mine;
    String heading = mine.isEmpty() ? "\nNone of these was asked for. Asked:" : "\nAsked:";
    return new AssertionError(
        "Expected answers"
            + which
            + " to "
            + expected
            + ", but they "
            + found
            + "."
            + (all.isEmpty() ? "\nNothing was asked." : heading)
            + all.stream()
                .skip(Math.max(0, all.size() - MOST_SHOWN))
                .map(each -> "\n  " + each.inWords())
                .collect(Collectors.joining()));
  }
}
