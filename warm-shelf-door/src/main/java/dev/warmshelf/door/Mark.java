package dev.warmshelf.door;

import dev.warmshelf.base.Amounts;
import dev.warmshelf.engine.Asking;
import dev.warmshelf.shelf.OldAnswers;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.jspecify.annotations.Nullable;

/**
 * A comment in a statement's text by which a rule knows it: {@code shelf: WORD}. What stands behind
 * adjusts the shelf's policy for this text alone: {@code shelf: WORD, ttl 30 s, fresh-within 200
 * ms, old-while-loading 5 s}.
 *
 * @param adjusting by word
 */
public record Mark(String word, Map<String, Duration> adjusting) {
  private static final Pattern WRITTEN = Pattern.compile("\\bshelf:\\s*([\\w.-]+)([^*\\r\\n]*)");

  private static final String TTL = "ttl";
  private static final String FRESH_WITHIN = "fresh-within";
  private static final String OLD = "old-while-loading";
  private static final List<String> WORDS = List.of(TTL, FRESH_WITHIN, OLD);

  /**
   * The marks in a text's comments.
   *
   * @throws IllegalArgumentException if one of them is not as it must be, with what is wrong
   */
  public static List<Mark> in(List<String> comments) {
    List<Mark> marks = new ArrayList<>();
    for (String comment : comments) {
      Matcher mark = WRITTEN.matcher(comment);
      while (mark.find()) {
        marks.add(new Mark(mark.group(1), adjusting(mark.group(2).strip())));
      }
    }
    return marks;
  }

  private static Map<String, Duration> adjusting(String behind) {
    Map<String, Duration> adjusting = new LinkedHashMap<>();
    for (String each : behind.isEmpty() ? List.<String>of() : List.of(behind.split(",", -1))) {
      String[] parts = each.strip().split("\\s+", 2);
      if (each.isBlank()) {
        continue; // before the first comma
      } else if (!WORDS.contains(parts[0]) || parts.length < 2) {
        throw new IllegalArgumentException(
            "'" + each.strip() + "' behind a mark is none of " + WORDS + " with a time");
      }
      adjusting.put(parts[0], Amounts.time(parts[1]));
    }
    return adjusting;
  }

  /** Has a question asked as the mark says. */
  void adjust(Asking asking) {
    Duration bound = adjusting.get(FRESH_WITHIN);
    if (bound != null) {
      asking.freshWithin(bound.toNanos());
    }
    @Nullable Duration ttl = adjusting.get(TTL);
    if (ttl != null) {
      asking.expiring(asking.shelf().policy().expiry().andAfter(ttl));
    }
    Duration old = adjusting.get(OLD);
    if (old != null) {
      asking.taking(OldAnswers.whileLoading(old));
    }
  }
}
