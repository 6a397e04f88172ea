package dev.warmshelf.config;

import dev.warmshelf.base.Amounts;
import dev.warmshelf.shelf.Capacity;
import dev.warmshelf.yaml.YamlNode;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import org.jspecify.annotations.Nullable;

/** Values as a configuration writes them: always with their unit. */
final class Values {
  private Values() {}

  static Duration duration(YamlNode node) {
    return amount(node, Amounts::time);
  }

  static boolean isNone(YamlNode node) {
    return node.text().equals("none");
  }

  static @Nullable Duration durationOrNone(YamlNode node) {
    return isNone(node) ? null : duration(node);
  }

  static Duration millisecondsAtLeast(YamlNode node) {
    Duration found = duration(node);
    if (found.toMillis() < 1) {
      throw node.wrong("a millisecond at least is expected here, not '" + node.text() + "'");
    }
    return found;
  }

  static long bytes(YamlNode node) {
    return amount(node, Amounts::bytes);
  }

  static long someBytes(YamlNode node) {
    long found = bytes(node);
    if (found < 1) {
      throw node.wrong("some bytes are expected here, not '" + node.text() + "'");
    }
    return found;
  }

  static double share(YamlNode node) {
    return amount(node, Amounts::share);
  }

  private static <V> V amount(YamlNode node, Function<String, V> reading) {
    try {
      return reading.apply(node.text());
    } catch (IllegalArgumentException e) {
      throw node.wrong(String.valueOf(e.getMessage()));
    }
  }

  /** A share of the heap, or a size. */
  static Capacity room(YamlNode node) {
    return node.text().strip().endsWith("%")
        ? Capacity.ofHeap(share(node))
        : Capacity.bytes(bytes(node));
  }

  static boolean yes(YamlNode node) {
    return switch (node.text()) {
      case "true" -> true;
      case "false" -> false;
      default -> throw node.wrong("true or false is expected here, not '" + node.text() + "'");
    };
  }

  /** A word, or a list of words. */
  static List<String> texts(YamlNode node) {
    return node.isList()
        ? node.items().stream().map(YamlNode::text).toList()
        : List.of(node.text());
  }

  static int count(YamlNode node) {
    try {
      return Integer.parseInt(node.text().replace("_", ""));
    } catch (NumberFormatException e) {
      throw node.wrong("a whole number is expected here, not '" + node.text() + "'");
    }
  }

  static int atLeastOne(YamlNode node) {
    int count = count(node);
    if (count < 1) {
      throw node.wrong("1 at least is expected here, not " + count);
    }
    return count;
  }

  static String oneOf(YamlNode node, List<String> words) {
    String text = node.text();
    if (!words.contains(text)) {
      throw node.wrong("'" + text + "' is not known here; expected one of " + words);
    }
    return text;
  }

  /** One of some names, written small and with hyphens. */
  static <E extends Enum<E>> E named(YamlNode node, E[] values) {
    List<String> words =
        Arrays.stream(values)
            .map(value -> value.name().toLowerCase(Locale.ROOT).replace('_', '-'))
            .toList();
    return values[words.indexOf(oneOf(node, words))];
  }
}
